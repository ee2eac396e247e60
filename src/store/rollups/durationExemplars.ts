import { sql } from 'drizzle-orm';
import { type Exemplar, exemplarsOf } from '../../formats/otlp/record/exemplars.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** Units of durations, with the nanoseconds that one is. */
const UNITS: Readonly<Record<string, number>> = { s: 1e9, ms: 1e6, us: 1e3, ns: 1 };
const MOST_POINTS = 500;

/** The exemplars that a service sent with its distributions of durations in a stretch of time, in nanoseconds; the latest first. */
export async function durationExemplars(service: string, from: bigint, to: bigint): Promise<Exemplar[]> {
  const { rows } = await database().execute(sql`
    SELECT series.type, series.unit, metric_point.point FROM series JOIN metric_point ON metric_point.series_id = series.id
    WHERE series.service = ${service} AND series.type IN ('histogram', 'exponential')
      AND series.unit = ANY(${sql.param(Object.keys(UNITS))}::text[])
      AND day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to} AND point IS NOT NULL
    ORDER BY time_ns DESC LIMIT ${MOST_POINTS}`);
  return (rows as unknown as { type: string; unit: string; point: Buffer }[]).flatMap(({ type, unit, point }) =>
    exemplarsOf(type, point).map((it) => ({ ...it, value: it.value * UNITS[unit] })),
  );
}
