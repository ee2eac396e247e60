import type { SampledSession } from './sampledSecond.ts';
import type { SessionRows } from './sessionColumns.ts';

/**
 * Calls for the sampled moments of a segment at which some session waited for another, with all sessions of that moment.
 *
 * @param every only each nth moment is looked at, and counts n times, where there are very many
 */
export function eachBlockedMoment(
  rows: SessionRows,
  slotMs: number,
  every: number,
  visit: (atMs: number, intervalMs: number, sessions: readonly SampledSession[]) => void,
): void {
  let moment = 0;
  for (let row = 0; row < rows.rows; ) {
    let end = row + 1;
    let isBlocked = false;
    while (end < rows.rows && rows.sessions.values[end] !== 0) {
      isBlocked ||= rows.isBlocked(end);
      end++;
    }
    if (isBlocked && moment % every === 0) {
      const interval = Number.isNaN(rows.intervals[row]) ? 1000 : rows.intervals[row];
      visit(
        slotMs + rows.times[row],
        interval * every,
        Array.from({ length: end - row - 1 }, (_, at) => rows.session(row + 1 + at)),
      );
    }
    moment++;
    row = end;
  }
}
