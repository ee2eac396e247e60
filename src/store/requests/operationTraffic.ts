import { type Traffic, TrafficSums } from '../../core/topology/traffic.ts';
import { TrafficTotal } from '../../core/topology/trafficColumns.ts';
import type { StoredSegment } from '../columns/slotSegments.ts';
import { NOT_ADDED_UP, trafficHours } from '../columns/trafficHours.ts';
import { visitTraffic } from '../rollups/visitTraffic.ts';
import { eachRequestWithSpans } from './requestTraffic.ts';

const HOUR_NS = 3_600_000_000_000n;

/**
 * What operations asked of each other in a stretch of time (epoch nanoseconds, `to` exclusive): whole hours as they were added up once, the
 * rest, and hours that still grow, request by request.
 *
 * @returns with the number of requests that it is of
 */
export async function operationTraffic(from: bigint, to: bigint): Promise<{ traffic: Traffic; requests: number }> {
  const total = new TrafficTotal();
  const firstHour = ((from + HOUR_NS - 1n) / HOUR_NS) * HOUR_NS;
  const endHour = (to / HOUR_NS) * HOUR_NS;
  const hours = endHour > firstHour ? await addedUp(firstHour, endHour) : new Map<bigint, StoredSegment[]>();
  for (const segments of hours.values()) for (const { segment } of segments) total.addSegment(segment);
  for (const rest of between(from, to, [...hours.keys()])) {
    const sums = new TrafficSums(true);
    let requests = 0;
    await eachRequestWithSpans(rest, (request) => {
      sums.add(request);
      requests++;
    });
    total.add(sums.traffic(), requests);
  }
  total.addVisits(await visitTraffic(from, to, 'operations'));
  return { traffic: total.traffic(), requests: total.requests };
}

/** The hours that are added up as they are now, by when they begin. An hour may have parts of two days. */
async function addedUp(from: bigint, to: bigint): Promise<Map<bigint, StoredSegment[]>> {
  const hours = new Map<bigint, StoredSegment[]>();
  const others = new Set<bigint>();
  const work = { isOnlyCurrent: true, onPassedOver: (hour: bigint) => void others.add(hour) };
  for await (const it of trafficHours.read({ from, to }, work)) {
    if (it.label === NOT_ADDED_UP) others.add(it.from);
    hours.set(it.from, [...(hours.get(it.from) ?? []), it]);
  }
  for (const hour of others) hours.delete(hour);
  return hours;
}

/** What is left of a stretch of time without some of its hours, in order of time. */
function between(from: bigint, to: bigint, hours: readonly bigint[]): { from: bigint; to: bigint }[] {
  const rest: { from: bigint; to: bigint }[] = [];
  let at = from;
  for (const hour of [...hours].sort((a, b) => (a < b ? -1 : 1))) {
    if (hour > at) rest.push({ from: at, to: hour });
    at = hour + HOUR_NS;
  }
  if (at < to) rest.push({ from: at, to });
  return rest;
}
