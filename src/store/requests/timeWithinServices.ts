import { listsOf, numberListsOf } from '../../core/columns/segment.ts';
import { HANDLED, HANDLED_COUNT, WITHIN, WITHIN_NS } from '../../core/requests/requestColumns.ts';
import type { PartyTime, TimeLine } from '../../core/topology/origin/timeWithin.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/**
 * What the time of the requests went into that each service handled, over all requests that a filter leaves.
 *
 * @returns by service; and how many requests there are
 */
export async function timeWithinServices(filter: TraceFilter): Promise<{ total: number; services: Map<string, PartyTime> }> {
  const services = new Map<string, PartyTime>();
  const timeOf = (service: string) => {
    let time = services.get(service);
    if (!time) {
      time = { requests: 0, ns: 0, lines: new Map() };
      services.set(service, time);
    }
    return time;
  };
  let total = 0;
  await eachRequest(filter, ({ segment, rows }) => {
    total += rows.length;
    const handled = listsOf(segment, HANDLED);
    const counts = listsOf(segment, HANDLED_COUNT);
    const within = listsOf(segment, WITHIN);
    const ns = numberListsOf(segment, WITHIN_NS).values;
    // Sums by the texts of the dictionary first: one addition a line.
    const requests = new Float64Array(handled.texts.length);
    const times = new Float64Array(within.texts.length);
    for (const row of rows) {
      for (let at = handled.offsets[row]; at < handled.offsets[row + 1]; at++) requests[handled.items[at]] += counts.items[at];
      for (let at = within.offsets[row]; at < within.offsets[row + 1]; at++) times[within.items[at]] += ns[at];
    }
    for (const [index, service] of handled.texts.entries()) if (requests[index] > 0) timeOf(service).requests += requests[index];
    for (const [index, text] of within.texts.entries()) {
      if (times[index] === 0) continue;
      const [service, kind, party] = JSON.parse(text) as [string, TimeLine['kind'], string];
      const time = timeOf(service);
      time.ns += times[index];
      const key = `${kind}\0${party}`;
      const line = time.lines.get(key);
      if (line) line.ns += times[index];
      else time.lines.set(key, { kind, party, ns: times[index] });
    }
  });
  return { total, services };
}
