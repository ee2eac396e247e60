/** So long a silence ends a visit. */
export const SILENCE_MS = 30 * 60_000;
/** A visit lasts at most so long: one that never falls silent is a page left open. */
export const LONGEST_VISIT_MS = 4 * 3_600_000;

/**
 * The visits of one session id, each without a silence of 30 minutes. What comes later than four hours after a visit's first event, without
 * such a silence, belongs to none.
 *
 * @param events in order of time
 */
export function splitVisits<Event extends { readonly atMs: number }>(events: readonly Event[]): Event[][] {
  const visits: Event[][] = [];
  let last = Number.NEGATIVE_INFINITY;
  for (const event of events) {
    const visit = visits.at(-1);
    if (!visit || event.atMs - last >= SILENCE_MS) visits.push([event]);
    else if (event.atMs - visit[0].atMs <= LONGEST_VISIT_MS) visit.push(event);
    last = event.atMs;
  }
  return visits;
}
