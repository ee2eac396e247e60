import { codesOf, listsOf, numbersOf } from '../../core/columns/segment.ts';
import { BLOCK, INDEX, INSTANCE, SERVICE, SEVERITY, SHAPE, TIME, TRACE, VALUES } from '../../core/logs/logColumns.ts';
import { generalValues, holePlan } from '../../core/logs/logSummary.ts';
import { columnOf } from '../../core/logs/matchLines.ts';
import { textReader } from '../../core/logs/matchText.ts';
import { SLOT_NS } from '../columns/slots.ts';
import { eachLine, type FoundLines, type LineScope, type LineWork } from './logLines.ts';
import type { StoredShapes } from './shapes.ts';

/** A line as a list shows it. */
export interface ListedLine {
  /** What its record is found by. */
  readonly id: string;
  /** Epoch nanoseconds. */
  readonly timeNs: bigint;
  readonly severity: number;
  readonly service: string;
  readonly instance: string;
  readonly text: string;
  readonly shape: string;
  /** What fills the holes of the shape. */
  readonly values: readonly string[];
  readonly hasTrace: boolean;
  /** The values of the fields that were asked for; undefined where the line has none. */
  readonly fields: readonly (string | undefined)[];
}

/** Where a list goes on: lines from this moment on, but for the first so many of that very moment. */
export interface LineCursor {
  readonly timeNs: bigint;
  readonly skip: number;
}

export interface LinePage {
  readonly lines: readonly ListedLine[];
  /** null at the end. */
  readonly next: LineCursor | null;
  readonly building: number;
}

/** Some lines of a scope in the order of time, from a cursor on. */
export async function linePage(
  scope: LineScope,
  order: 'newest' | 'oldest',
  most: number,
  after: LineCursor | null,
  fields: readonly string[] = [],
  work: LineWork = {},
): Promise<LinePage> {
  const lines: ListedLine[] = [];
  let shapes!: StoredShapes;
  let building = 0;
  let skip = after?.skip ?? 0;
  const take = (found: FoundLines): boolean => {
    const read = lineReader(found, shapes, fields);
    const { rows, from, segment } = found;
    const times = numbersOf(segment, TIME);
    const at = (index: number) => (order === 'newest' ? rows[rows.length - 1 - index] : rows[index]);
    for (let index = 0; index < rows.length; index++) {
      const row = at(index);
      if (skip > 0 && after && from + BigInt(times[row]) === after.timeNs) {
        skip--;
        continue;
      }
      if (lines.length >= most) return false;
      lines.push(read(row));
    }
    return true;
  };
  const readIn = async (from: bigint, to: bigint): Promise<boolean> => {
    let isMore = true;
    const read = await eachLine(
      { ...scope, from, to },
      (found) => {
        isMore = take(found);
        return isMore;
      },
      {
        ...work,
        onShapes: (it) => {
          shapes = it;
        },
      },
    );
    building += read.building;
    return isMore;
  };
  let isEnd: boolean;
  if (order === 'newest') isEnd = await readIn(scope.from, after ? after.timeNs + 1n : scope.to);
  else {
    isEnd = true;
    let from = after?.timeNs ?? scope.from;
    // Slots come the latest first: one at a time, they are in order.
    while (isEnd && from < scope.to) {
      const end = (from / SLOT_NS + 1n) * SLOT_NS;
      isEnd = await readIn(from, end < scope.to ? end : scope.to);
      from = end;
    }
  }
  const last = lines.at(-1);
  const sameMoment = last ? lines.filter(({ timeNs }) => timeNs === last.timeNs).length : 0;
  const before = last && after?.timeNs === last.timeNs ? after.skip : 0;
  return { lines, next: isEnd || !last ? null : { timeNs: last.timeNs, skip: sameMoment + before }, building };
}

/** Reads rows of a segment as lines. @param fields whose values are wanted */
export function lineReader(
  { segment, from, day }: FoundLines,
  shapes: StoredShapes,
  fields: readonly string[] = [],
): (row: number) => ListedLine {
  const text = textReader(segment, (id) => shapes.counts.own(id));
  const times = numbersOf(segment, TIME);
  const severity = codesOf(segment, SEVERITY).values;
  const service = codesOf(segment, SERVICE);
  const instance = codesOf(segment, INSTANCE);
  const shape = codesOf(segment, SHAPE);
  const values = listsOf(segment, VALUES);
  const block = codesOf(segment, BLOCK);
  const index = codesOf(segment, INDEX).values;
  const trace = numbersOf(segment, TRACE);
  const columns = fields.map((field) => codesOf(segment, columnOf(field)));
  const of = shape.texts.map((id) => {
    const counted = shapes.counts.countedAs(id);
    const own = shapes.counts.own(id) ?? [''];
    return { id: counted, plan: holePlan(own, shapes.shapes.get(counted)?.template ?? own) };
  });
  return (row) => {
    const own: string[] = [];
    for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++) own.push(values.texts[values.items[at]]);
    const { id, plan } = of[shape.values[row] - 1];
    return {
      id: `${day}-${block.texts[block.values[row] - 1]}-${index[row]}`,
      timeNs: from + BigInt(times[row]),
      severity: severity[row],
      service: service.texts[service.values[row] - 1],
      instance: instance.values[row] > 0 ? instance.texts[instance.values[row] - 1] : '',
      text: text(row),
      shape: id,
      values: generalValues(plan, own),
      hasTrace: !Number.isNaN(trace[row]),
      fields: columns.map((column) => column.texts[column.values[row] - 1]),
    };
  };
}
