import { MACHINE_METRICS } from '../../core/machines/measures.ts';
import { POOL_METRICS } from '../../core/pools/storedPool.ts';
import type { Attributes } from '../../core/trace/span.ts';
import type { Metric } from '../../formats/otlp/record/metricRecord.ts';
import { markSlots, slotOfMinute, type TouchedSlots, touchSlot } from '../columns/slots.ts';
import { copyOf } from '../database/copyRows.ts';
import { internResources, internSeries } from '../dictionaries/dictionaries.ts';
import { CLOCK_OUT_OF_RANGE, dayOf, reassignDays } from '../retention/days.ts';
import { minuteOf } from '../rollups/rollups.ts';
import { recordWriter } from './writeRecords.ts';

/** A metric, and who sent it. */
export interface ReadMetric {
  readonly metric: Metric;
  readonly service: string;
  readonly resource: Attributes;
}

/** What the store needs of a metric: by point, the id of its series. */
export interface NamedMetric {
  readonly metric: Metric;
  readonly seriesIds: readonly number[];
}

const OF_MACHINES: ReadonlySet<string> = new Set(MACHINE_METRICS);
const hasColumns = (name: string) => OF_MACHINES.has(name) || name.startsWith(POOL_METRICS);
const COLUMNS = ['day', 'series_id', 'time_ns', 'start_ns', 'value', 'count', 'point'];

/** Names the series of the points of metrics, in the same order. */
export async function nameMetrics(metrics: readonly ReadMetric[]): Promise<NamedMetric[]> {
  const resourceIds = await internResources(metrics.map(({ service, resource }) => ({ service, attributes: resource })));
  const seriesIds = await internSeries(
    metrics.flatMap(({ metric: { name, unit, type, temporality, monotonic, points }, service }, at) =>
      points.map(({ attributes }) => ({
        resourceId: resourceIds[at],
        service,
        name,
        unit,
        type,
        temporality,
        monotonic,
        attributes,
      })),
    ),
  );
  let from = 0;
  return metrics.map(({ metric }) => {
    const to = from + metric.points.length;
    const named = { metric, seriesIds: seriesIds.slice(from, to) };
    from = to;
    return named;
  });
}

/** Keeps the metrics of some requests: their blocks, and each point under its series. */
export const writeMetrics = recordWriter<NamedMetric>('metrics', async (blocks, client) => {
  const points = blocks.flatMap(({ arrivals }) =>
    arrivals.flatMap(({ head: { metric, seriesIds } }) =>
      metric.points.map((point, at) => ({ metric, point, seriesId: seriesIds[at] })),
    ),
  );
  const placed = await reassignDays(
    'metrics',
    points.map(({ point }) => dayOf(point.time)),
  );
  const rows = points.map(({ point: { time, start, value, count, whole }, seriesId }) => [
    placed(dayOf(time)),
    seriesId,
    time,
    start,
    // COPY reads NaN and Infinity as PostgreSQL writes them, which is as JavaScript does.
    value,
    count,
    whole,
  ]);
  const slots: TouchedSlots = new Map();
  for (const { metric, point } of points) {
    const day = placed(dayOf(point.time));
    if (day !== CLOCK_OUT_OF_RANGE && hasColumns(metric.name)) touchSlot(slots, day, slotOfMinute(minuteOf(point.time)));
  }
  await markSlots(client, 'machine', slots);
  return [copyOf('metric_point', COLUMNS, rows)];
});
