import type { Incident } from './incidents/incident.ts';

/** What is true of the incidents of a day, with their times; null for an end that has not come. */
export function truthOf(incidents: readonly Incident[], endMs: number): object {
  const time = (minutesBefore: number) => new Date(endMs - minutesBefore * 60_000).toISOString();
  return {
    end: new Date(endMs).toISOString(),
    incidents: incidents.map(({ begins, ends, unfold: _, ...what }) => ({
      ...what,
      start: time(begins),
      end: ends === null ? null : time(ends),
    })),
  };
}
