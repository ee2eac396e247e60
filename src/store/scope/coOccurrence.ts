import { sql } from 'drizzle-orm';
import type { CoOccurrence } from '../../core/incidents/joinShifts.ts';
import { type SeriesKey, seriesId } from '../../core/incidents/watchedSeries.ts';
import { database } from '../database/connection.ts';

/** By a hash of the id: ids may be ordered by time. */
const SAMPLE = 10_000;

/** How often operations take part in the same requests, from a sample of the requests of some minutes that have one of them. */
export async function coOccurrenceOf(
  keys: readonly SeriesKey[],
  fromMinute: number,
  toMinute: number,
): Promise<(a: SeriesKey, b: SeriesKey) => CoOccurrence> {
  const ids = keys.map(seriesId);
  const wanted = new Set(ids);
  const { rows } = await database().execute(sql`SELECT operation_ids AS ids FROM trace
    WHERE day BETWEEN ${Math.floor(fromMinute / 1440) - 1} AND ${Math.floor(toMinute / 1440) + 1}
      AND start_ns BETWEEN ${BigInt(fromMinute) * 60_000_000_000n} AND ${BigInt(toMinute + 1) * 60_000_000_000n}
      AND operation_ids && ${`{${ids.join(',')}}`}::int[] ORDER BY md5(trace_id) LIMIT ${SAMPLE}`);
  const count = new Map<number, number>();
  const both = new Map<string, number>();
  for (const row of rows as unknown as { ids: number[] }[]) {
    const here = row.ids.filter((id) => wanted.has(id));
    for (const [at, a] of here.entries()) {
      count.set(a, (count.get(a) ?? 0) + 1);
      for (const b of here.slice(at + 1)) both.set(`${a} ${b}`, (both.get(`${a} ${b}`) ?? 0) + 1);
    }
  }
  return (one, other) => {
    const [a, b] = [seriesId(one), seriesId(other)];
    // `operation_ids` is in ascending order.
    const shared = both.get(a < b ? `${a} ${b}` : `${b} ${a}`) ?? 0;
    const [ofA, ofB] = [count.get(a) ?? 0, count.get(b) ?? 0];
    return { ofRarer: shared / Math.max(1, Math.min(ofA, ofB)), ofEither: shared / Math.max(1, ofA + ofB - shared) };
  };
}
