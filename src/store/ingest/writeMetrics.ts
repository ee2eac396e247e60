import type { Attributes } from '../../core/trace/span.ts';
import type { Metric } from '../../formats/otlp/record/metricRecord.ts';
import { copyOf } from '../database/copyRows.ts';
import { internResources, internSeries } from '../dictionaries/dictionaries.ts';
import { dayOf, reassignDays } from '../retention/days.ts';
import { recordWriter } from './writeRecords.ts';

/** What the store needs of a metric. */
export interface ReadMetric {
  readonly metric: Metric;
  readonly service: string;
  readonly resource: Attributes;
}

const COLUMNS = ['day', 'series_id', 'time_ns', 'start_ns', 'value', 'count', 'point'];

/** Keeps the metrics of some requests: their blocks, and each point under its series. */
export const writeMetrics = recordWriter<ReadMetric>('metrics', async (blocks) => {
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
  return [copyOf('metric_point', COLUMNS, rows)];
});
