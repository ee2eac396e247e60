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

/** What the store needs of a metric. */
export interface ReadMetric {
  readonly metric: Metric;
  readonly service: string;
  readonly resource: Attributes;
}

const OF_MACHINES: ReadonlySet<string> = new Set(MACHINE_METRICS);
const hasColumns = (name: string) => OF_MACHINES.has(name) || name.startsWith(POOL_METRICS);
const COLUMNS = ['day', 'series_id', 'time_ns', 'start_ns', 'value', 'count', 'point'];

/** Keeps the metrics of some requests: their blocks, and each point under its series. */
export const writeMetrics = recordWriter<ReadMetric>('metrics', async (blocks, client) => {
  const metrics = blocks.flatMap(({ arrivals }) => arrivals.map(({ head }) => head));
  const resourceIds = await internResources(metrics.map(({ service, resource }) => ({ service, attributes: resource })));
  const points = metrics.flatMap(({ metric, service }, at) =>
    metric.points.map((point) => ({ metric, service, point, resourceId: resourceIds[at] })),
  );
  const seriesIds = await internSeries(
    points.map(({ metric: { name, unit, type, temporality, monotonic }, service, point: { attributes }, resourceId }) => ({
      resourceId,
      service,
      name,
      unit,
      type,
      temporality,
      monotonic,
      attributes,
    })),
  );
  const placed = await reassignDays(
    'metrics',
    points.map(({ point }) => dayOf(point.time)),
  );
  const rows = points.map(({ point: { time, start, value, count, whole } }, at) => [
    placed(dayOf(time)),
    seriesIds[at],
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
