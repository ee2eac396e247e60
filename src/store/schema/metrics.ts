import { doublePrecision, index, integer, pgTable } from 'drizzle-orm/pg-core';
import { bytes, count, day, epochNanos } from './columns.ts';

/** One point of a series. */
export const metricPoint = pgTable(
  'metric_point',
  {
    day: day(),
    seriesId: integer('series_id').notNull(),
    timeNs: epochNanos('time_ns').notNull(),
    /** Where its count began; null when not set. */
    startNs: epochNanos('start_ns'),
    /** A number point's value; the sum of a distribution. Null where there is none. */
    value: doublePrecision('value'),
    /** How many were measured; null for a number point. */
    count: count('count'),
    /** The OTLP data point itself where value and count do not say all: a distribution, or one with exemplars. */
    point: bytes('point'),
  },
  (table) => [
    index('metric_point_series').on(table.seriesId, table.timeNs),
    // For all series of a stretch of time: points come in its order, so that a few bytes for many pages are enough.
    index('metric_point_time').using('brin', table.timeNs),
  ],
);
