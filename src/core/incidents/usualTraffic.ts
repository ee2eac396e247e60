/** Calls by minute since 1970-01-01; minutes without calls are missing. */
export type CallsByMinute = ReadonlyMap<number, number>;

const A_DAY = 1_440;
/** Days before that tell what is usual at an hour, at most. */
export const MOST_DAYS = 7;
/** On each of the days before, so many minutes on either side are looked at too: what comes at an hour does not come at the same minute each day. */
const AROUND = 30;
/** Of fewer calls than this nothing is said to be usual. */
const ENOUGH = 10;
/** Standard deviations of counts beyond which a difference is more than chance. */
const BEYOND_CHANCE = 4;

/**
 * How many calls usually come in `minutes` minutes up to and with one, at that time of the day: the median of the days before that have data
 * around then. Null when there is no such day, or too little comes.
 *
 * @param firstKnown the first minute of which anything is stored
 */
export function usualCalls(calls: CallsByMinute, minute: number, minutes: number, firstKnown: number): number | null {
  const days: number[] = [];
  for (let back = 1; back <= MOST_DAYS; back++) {
    const last = minute - back * A_DAY + AROUND;
    const first = minute - back * A_DAY - minutes + 1 - AROUND;
    if (first < firstKnown) break;
    let sum = 0;
    for (let at = first; at <= last; at++) sum += calls.get(at) ?? 0;
    // A day on which nothing came had an outage, or nobody measured.
    if (sum > 0) days.push((sum * minutes) / (last - first + 1));
  }
  if (days.length === 0) return null;
  days.sort((a, b) => a - b);
  const middle = (days.length - 1) / 2;
  const usual = (days[Math.floor(middle)] + days[Math.ceil(middle)]) / 2;
  return usual < ENOUGH ? null : usual;
}

/** By which share less (`drop`) or more (`rise`) came than usual; null when that is unknown, 0 when it is no more than chance. */
export function trafficMove(which: 'drop' | 'rise', now: number, usual: number | null): number | null {
  if (usual === null) return null;
  const share = which === 'drop' ? 1 - now / usual : now / usual - 1;
  // Both sides are counts, of which the usual one is of more minutes.
  return Math.abs(now - usual) > BEYOND_CHANCE * Math.sqrt(usual) ? Math.max(0, share) : 0;
}
