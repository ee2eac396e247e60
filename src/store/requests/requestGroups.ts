import { codesOf, listsOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { addValue, emptySketch, type Sketch } from '../../core/measures/sketch.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/** Requests that have a value in common. */
export interface TraceGroup {
  /** null for those without a value. */
  readonly value: string | null;
  calls: number;
  failed: number;
  totalNs: number;
  readonly sketch: Sketch;
}

/** Groups beyond these are left out, the largest first. */
const MOST_GROUPS = 500;

/**
 * The requests that a filter leaves by the value of an attribute of any of their spans, or by entry, service taking part, operation taking
 * part (its service and name, a zero between them), outcome or user. A request with two values is in both groups.
 *
 * @returns `many`: whether some requests stand among those without a value since theirs is too long to be distinguished, or groups were left out
 */
export async function requestGroups(filter: TraceFilter, by: string): Promise<{ groups: TraceGroup[]; many: boolean }> {
  const groups = new Map<string | null, TraceGroup>();
  const groupOf = (value: string | null) => {
    let group = groups.get(value);
    if (!group) {
      group = { value, calls: 0, failed: 0, totalNs: 0, sketch: emptySketch() };
      groups.set(value, group);
    }
    return group;
  };
  let isCut = false;
  await eachRequest(filter, ({ segment, rows }) => {
    const ns = numbersOf(segment, requests.DURATION);
    const outcome = codesOf(segment, requests.OUTCOME).values;
    const cut = codesOf(segment, requests.cutColumn(by)).values;
    const valuesOf = grouping(segment, by);
    for (const row of rows) {
      const failed = (outcome[row] & requests.ROOT_FAILED) !== 0;
      if (cut[row] === 1 || (outcome[row] & requests.KEYS_LEFT_OUT) !== 0) isCut = true;
      const values = valuesOf(row);
      for (const value of values.length > 0 ? values : [null]) {
        const group = groupOf(value);
        group.calls++;
        if (failed) group.failed++;
        group.totalNs += ns[row];
        addValue(group.sketch, ns[row]);
      }
    }
  });
  const sorted = [...groups.values()].sort((a, b) => b.totalNs - a.totalNs);
  return { groups: sorted.slice(0, MOST_GROUPS), many: isCut || sorted.length > MOST_GROUPS };
}

/** The values of a row by which it is grouped, each once. */
function grouping(segment: Segment, by: string): (row: number) => readonly string[] {
  switch (by) {
    case 'entry':
      return oneOf(segment, requests.ENTRY, (text) => requests.readOperation(text).name);
    case 'service':
      return anyOf(segment, requests.OPERATIONS, (text) => requests.readOperation(text).service);
    case 'operation':
      return anyOf(segment, requests.OPERATIONS, (text) => {
        const { service, name } = requests.readOperation(text);
        return `${service}\0${name}`;
      });
    case 'outcome': {
      const { values } = codesOf(segment, requests.OUTCOME);
      return (row) => {
        if ((values[row] & requests.ROOT_FAILED) !== 0) return ['failed'];
        return [(values[row] & requests.ANY_FAILED) !== 0 ? 'a failure inside' : 'fine'];
      };
    }
    case 'user':
      return oneOf(segment, requests.USER, (text) => text);
    default:
      return anyOf(segment, requests.attributeColumn(by), (text) => text);
  }
}

function oneOf(segment: Segment, name: string, read: (text: string) => string): (row: number) => readonly string[] {
  const { values, texts } = codesOf(segment, name);
  const lists = texts.map((text) => [read(text)]);
  return (row) => (values[row] === 0 ? [] : lists[values[row] - 1]);
}

function anyOf(segment: Segment, name: string, read: (text: string) => string): (row: number) => readonly string[] {
  const { offsets, items, texts } = listsOf(segment, name);
  const words = texts.map(read);
  return (row) => {
    const found: string[] = [];
    for (let at = offsets[row]; at < offsets[row + 1]; at++) if (!found.includes(words[items[at]])) found.push(words[items[at]]);
    return found;
  };
}
