import { createHash } from 'node:crypto';
import { sql } from 'drizzle-orm';
import { isLine } from '../../core/logs/isLine.ts';
import { SEVERITIES, severityOf } from '../../core/logs/severity.ts';
import { database } from '../database/connection.ts';
import { CLOCK_OUT_OF_RANGE } from '../retention/days.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { rememberedSteps, versionsOfLines } from './rememberedSteps.ts';
import { minuteOf } from './rollups.ts';

const MINUTE_NS = 60_000_000_000n;

/** Lines that were written in one stretch of time. */
export interface LineBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  /** In the order of `SEVERITIES`. */
  readonly counts: number[];
}

/** First and last minute in which a line or an event was written, epoch nanoseconds, the end exclusive; null when there is none. */
export async function storedLineTime(): Promise<{ from: bigint; to: bigint } | null> {
  const { rows } = await database().execute(
    sql`SELECT min(minute)::text AS first, max(minute)::text AS last FROM log_minute WHERE day > ${CLOCK_OUT_OF_RANGE}`,
  );
  const { first, last } = rows[0] as { first: string | null; last: string | null };
  return first === null || last === null ? null : { from: BigInt(first) * MINUTE_NS, to: (BigInt(last) + 1n) * MINUTE_NS };
}

/**
 * How many lines were written, by severity, in stretches of whole minutes; from the rollups. Stretches without a line are not in it.
 *
 * @param services those alone; all without it @param from, to epoch nanoseconds
 */
export function linesOverTime(
  from: bigint,
  to: bigint,
  stepMinutes: number,
  services?: readonly string[],
): Promise<LineBucket[]> {
  const only = services ? sql`AND service = ANY(${sql.param([...services])}::text[])` : sql``;
  // As long for many names as for one: whoever asks chooses them.
  const named =
    services &&
    createHash('sha256')
      .update(JSON.stringify([...services].sort()))
      .digest('base64');
  const what = `lines ${named ?? ''}`;
  return rememberedSteps(what, versionsOfLines, minuteOf(from), minuteOf(to - 1n) + 1, stepMinutes, async (first, end) => {
    const { rows } = await database().execute(sql`
      SELECT minute / ${stepMinutes}::int AS step, severity, event_name AS "eventName", sum(records)::float8 AS records
      FROM log_minute JOIN log_kind ON log_kind.id = key_id
      WHERE ${daysOfMinutes(first, end)} AND minute >= ${first} AND minute < ${end} ${only}
      GROUP BY 1, 2, 3 ORDER BY 1`);
    const buckets = new Map<number, LineBucket>();
    for (const { step, severity, eventName, records } of rows as unknown as CountedLines[]) {
      if (!isLine(eventName)) continue;
      const at = step * stepMinutes * 60_000;
      const bucket = buckets.get(at) ?? { at, counts: SEVERITIES.map(() => 0) };
      buckets.set(at, bucket);
      bucket.counts[SEVERITIES.indexOf(severityOf(severity))] += records;
    }
    return [...buckets.values()];
  });
}

interface CountedLines {
  readonly step: number;
  readonly severity: number;
  readonly eventName: string;
  readonly records: number;
}
