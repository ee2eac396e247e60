import { LRUCache } from 'lru-cache';
import { listsOf, numberListsOf } from '../../core/columns/segment.ts';
import { HANDLED, HANDLED_COUNT, WITHIN, WITHIN_NS } from '../../core/requests/requestColumns.ts';
import type { PartyTime, TimeLine } from '../../core/topology/origin/timeWithin.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import type { MatchingRows } from './matchingRequests.ts';
import { eachRequest } from './requestScope.ts';

type ServiceTimes = Map<string, PartyTime>;

/** Bytes of service times that are remembered, by process. */
const MOST_BYTES = 16 * 2 ** 20;
/** Of a line beside its texts, about. */
const LINE_BYTES = 200;
/** Of segments all of whose requests were wanted: who lights a day again, or moves it, pays for what is new. */
const ofWhole = new LRUCache<string, ServiceTimes>({ maxSize: MOST_BYTES, sizeCalculation: bytesOf });

/**
 * What the time of the requests went into that each service handled, over all requests that a filter leaves.
 *
 * @returns by service; and how many requests there are
 */
export async function timeWithinServices(filter: TraceFilter): Promise<{ total: number; services: ServiceTimes }> {
  const services: ServiceTimes = new Map();
  let total = 0;
  await eachRequest(filter, (found) => {
    total += found.rows.length;
    for (const [service, time] of timesOnce(found)) addTime(services, service, time);
  });
  return { total, services };
}

function timesOnce(found: MatchingRows): ServiceTimes {
  if (found.rows.length < found.segment.rows) return timesOf(found);
  const known = ofWhole.get(found.key);
  if (known) return known;
  const times = timesOf(found);
  ofWhole.set(found.key, times);
  return times;
}

function timesOf({ segment, rows }: MatchingRows): ServiceTimes {
  const times: ServiceTimes = new Map();
  const handled = listsOf(segment, HANDLED);
  const counts = listsOf(segment, HANDLED_COUNT);
  const within = listsOf(segment, WITHIN);
  const ns = numberListsOf(segment, WITHIN_NS).values;
  // Sums by the texts of the dictionary first: one addition a line.
  const requests = new Float64Array(handled.texts.length);
  const amounts = new Float64Array(within.texts.length);
  for (const row of rows) {
    for (let at = handled.offsets[row]; at < handled.offsets[row + 1]; at++) requests[handled.items[at]] += counts.items[at];
    for (let at = within.offsets[row]; at < within.offsets[row + 1]; at++) amounts[within.items[at]] += ns[at];
  }
  for (const [index, service] of handled.texts.entries())
    if (requests[index] > 0) addTime(times, service, { requests: requests[index], ns: 0, lines: new Map() });
  for (const [index, text] of within.texts.entries()) {
    if (amounts[index] === 0) continue;
    const [service, kind, party] = JSON.parse(text) as [string, TimeLine['kind'], string];
    const line = { kind, party, ns: amounts[index] };
    addTime(times, service, { requests: 0, ns: line.ns, lines: new Map([[`${kind}\0${party}`, line]]) });
  }
  return times;
}

function addTime(times: ServiceTimes, service: string, { requests, ns, lines }: PartyTime): void {
  let time = times.get(service);
  if (!time) {
    time = { requests: 0, ns: 0, lines: new Map() };
    times.set(service, time);
  }
  time.requests += requests;
  time.ns += ns;
  for (const [key, line] of lines) {
    const known = time.lines.get(key);
    if (known) known.ns += line.ns;
    else time.lines.set(key, { ...line });
  }
}

function bytesOf(times: ServiceTimes): number {
  let bytes = LINE_BYTES;
  for (const [service, { lines }] of times) {
    bytes += LINE_BYTES + 2 * service.length;
    // The key, and the same texts in the line.
    for (const key of lines.keys()) bytes += LINE_BYTES + 4 * key.length;
  }
  return bytes;
}
