import { sql } from 'drizzle-orm';
import type { Segment } from '../../core/columns/segment.ts';
import { measureSegment, type SlotSeries } from '../../core/machines/measureColumns.ts';
import { MACHINE_METRICS, measureSource, subjectOf } from '../../core/machines/measures.ts';
import { minuteValues } from '../../core/machines/minuteValues.ts';
import { poolSegment } from '../../core/pools/poolColumns.ts';
import type { Attributes } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { poolPoints } from '../pools/poolPoints.ts';
import { dayOf } from '../retention/days.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_MINUTES, SLOT_NS } from './slots.ts';

/** The labels of the two parts of a slot: what machines, containers and processes measure, and what pools of connections do. */
export const MACHINES = '';
export const POOLS = 'pools';

/** The columns of what machines, containers and processes measure, and of pools of database connections. */
export const machineSegments: SlotSegments = slotSegments({
  subject: 'machine',
  worthSaving: 2_000,
  build,
});

/** Points of one slot, at most. */
const MOST_POINTS = 1_500_000;
/** A count needs what it was before the slot began. */
const BEFORE_NS = 120_000_000_000n;

interface SeriesRow {
  readonly id: number;
  readonly name: string;
  readonly type: string;
  readonly temporality: number;
  readonly attributes: Attributes;
  readonly service: string;
  readonly resource: Attributes;
  readonly times: readonly number[];
  readonly values: readonly number[];
  readonly starts: readonly (number | null)[];
}

async function build(
  { slot }: Slot,
  _former: readonly Segment[],
  keep: (part: Segment, label?: string) => void,
): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const to = from + SLOT_NS;
  const begin = from - BEFORE_NS;
  const { rows } = await database().execute(sql`
    WITH points AS (
      SELECT series_id, time_ns, start_ns, value FROM metric_point
      WHERE day BETWEEN ${dayOf(begin)} AND ${dayOf(to)} AND time_ns >= ${begin} AND time_ns < ${to} AND value IS NOT NULL
        AND series_id IN (SELECT id FROM series WHERE name = ANY(${sql.param([...MACHINE_METRICS])}::text[]) AND type IN ('gauge', 'sum'))
      LIMIT ${MOST_POINTS}
    ), lists AS (
      SELECT series_id, array_agg((time_ns / 1000000)::float8 ORDER BY time_ns) AS times, array_agg(value ORDER BY time_ns) AS values,
        array_agg((start_ns / 1000000)::float8 ORDER BY time_ns) AS starts
      FROM points GROUP BY series_id
    )
    SELECT series.id, series.name, series.type, series.temporality, series.attributes, series.service, resource.attributes AS resource,
      lists.times, lists.values, lists.starts
    FROM lists JOIN series ON series.id = lists.series_id JOIN resource ON resource.id = series.resource_id ORDER BY series.id`);
  let read = 0;
  const firstMs = Number(from / 1_000_000n);
  const series: SlotSeries[] = [];
  for (const it of rows as unknown as SeriesRow[]) {
    read += it.times.length;
    const source = measureSource(it.name, it.attributes);
    const subject = source && subjectOf(source.kind, it.service, it.resource);
    if (!source || !subject) continue;
    const part = String(it.attributes['cpu.logical_number'] ?? it.attributes.cpu ?? '');
    series.push({ subject, source, part, values: minuteValues(it, firstMs, SLOT_MINUTES) });
  }
  keep(measureSegment(series, SLOT_MINUTES), MACHINES);
  const pools = await poolPoints(begin, to);
  const firstMinute = slot * SLOT_MINUTES;
  const within = pools.map((it) => ({ ...it, minutes: it.minutes.filter(({ minute }) => minute >= firstMinute) }));
  const segment = poolSegment(within);
  if (segment.rows > 0) keep(segment, POOLS);
  return read + segment.rows;
}
