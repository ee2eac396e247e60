import { sql } from 'drizzle-orm';
import { dayOf } from '../retention/days.ts';

/**
 * SQL for the days on which rollups of some minutes lie: spans lie on the day of their trace, which may be the day before or after.
 *
 * @param first minutes since 1970-01-01 @param end exclusive
 */
export function daysOfMinutes(first: number, end: number) {
  const day = (minute: number) => dayOf(BigInt(minute) * 60_000_000_000n);
  return sql`day BETWEEN ${Math.max(1, day(first) - 1)} AND ${day(end) + 1}`;
}
