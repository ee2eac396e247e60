import { listsOf, numberListsOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import { readRunsOn } from '../../core/requests/requestRow.ts';
import { addCall, noCallsIn, type VersionCalls } from '../../core/versions/versionCalls.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/** The calls of a service by version and operation, in equal stretches of time. */
export interface VersionTraffic {
  readonly service: string;
  readonly stretches: number;
  /** By version, then by operation as `writeOperation` writes it. */
  readonly versions: Map<string, Map<string, VersionCalls>>;
  /** Requests whose calls cannot be told apart: several versions of the service took part in them, or there are too many versions. */
  mixed: number;
  requests: number;
}

/** Versions, and operations of all versions together, that are kept apart; requests beyond them are counted in `mixed`. About 12 kB each. */
const MOST_VERSIONS = 60;
const MOST_OPERATIONS = 4_000;

/** Adds the calls that a service handled in the requests which a filter leaves. @param at in which stretch a moment lies, epoch milliseconds */
export async function addVersionTraffic(to: VersionTraffic, filter: TraceFilter, at: (ms: number) => number): Promise<void> {
  await eachRequest(filter, ({ segment, from, rows }) => {
    const base = Number(from / 1_000_000n);
    const start = numbersOf(segment, requests.START);
    const versionsOf = versionLists(segment, to.service);
    const operation = listsOf(segment, requests.SPAN_OPERATION);
    const own = operation.texts.map((text) => requests.readOperation(text).service === to.service);
    if (!own.includes(true)) return;
    const duration = numberListsOf(segment, requests.SPAN_DURATION).values;
    const flags = listsOf(segment, requests.SPAN_FLAGS).items;
    for (const row of rows) {
      const [first, end] = [operation.offsets[row], operation.offsets[row + 1]];
      const versions = versionsOf(row);
      let isCounted = false;
      for (let span = first; span < end; span++) {
        if (!own[operation.items[span]]) continue;
        if (!isCounted) {
          isCounted = true;
          to.requests++;
          if (versions.length > 1) to.mixed++;
        }
        if (versions.length > 1) break;
        const calls = callsOf(to, versions[0] ?? '', operation.texts[operation.items[span]]);
        if (!calls) {
          to.mixed++;
          break;
        }
        const stretch = at(base + start[row] / 1e6);
        if (stretch >= 0) addCall(calls, stretch, duration[span], (flags[span] & requests.SPAN_FAILED) !== 0);
      }
    }
  });
}

function callsOf({ versions, stretches }: VersionTraffic, version: string, operation: string): VersionCalls | undefined {
  let operations = versions.get(version);
  if (!operations) {
    if (versions.size >= MOST_VERSIONS) return undefined;
    operations = new Map();
    versions.set(version, operations);
  }
  let calls = operations.get(operation);
  if (!calls) {
    const all = [...versions.values()].reduce((sum, { size }) => sum + size, 0);
    if (all >= MOST_OPERATIONS) return undefined;
    calls = noCallsIn(stretches);
    operations.set(operation, calls);
  }
  return calls;
}

/** By row the versions of a service that took part. */
function versionLists(segment: Segment, service: string): (row: number) => string[] {
  const runsOn = listsOf(segment, requests.RUNS_ON);
  const versions = runsOn.texts.map((text) => {
    const it = readRunsOn(text);
    return it.service === service && it.key === 'service.version' ? it.value : undefined;
  });
  return (row) => {
    const found: string[] = [];
    for (let item = runsOn.offsets[row]; item < runsOn.offsets[row + 1]; item++) {
      const version = versions[runsOn.items[item]];
      if (version !== undefined) found.push(version);
    }
    return found;
  };
}
