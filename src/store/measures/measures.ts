import { type SQL, sql } from 'drizzle-orm';
import type { MeasureSeries } from '../../core/measures/measureSeries.ts';
import { database } from '../database/connection.ts';
import { lineMeasuresOf } from '../logs/numbersOfLines.ts';
import { dayOf } from '../retention/days.ts';

const CUMULATIVE = 2;
/** Series that are read of one thing, at most: senders can make up any number. */
const MOST_SERIES = 1_000;

/**
 * What a service's instances measure of themselves, and the hosts that they are on, in a stretch of time (epoch nanoseconds, `to` exclusive), with
 * what somebody marked as a measure in its lines. Distributions are left out.
 */
export async function measuresOf(service: string, hosts: readonly string[], from: bigint, to: bigint): Promise<MeasureSeries[]> {
  const sent = await readMeasures(
    sql`series.service = ${service}
        OR (series.name LIKE 'system.%' AND resource.attributes->>'host.name' = ANY(${sql.param([...hosts])}::text[]))`,
    from,
    to,
  );
  return [...sent, ...(await lineMeasuresOf(service, from, to))];
}

/** What anybody measures of a queue, by the name of its destination; times as in `measuresOf`. */
export function measuresOfQueue(destination: string, from: bigint, to: bigint): Promise<MeasureSeries[]> {
  return readMeasures(sql`series.attributes->>'messaging.destination.name' = ${destination}`, from, to);
}

/**
 * What anybody measures of a database server, by its address, and of the hosts whose samplers or agents name it; times as in `measuresOf`. What
 * clients measure of their connections to it is left out.
 */
export function measuresOfDatabase(server: string, from: bigint, to: bigint): Promise<MeasureSeries[]> {
  return readMeasures(
    sql`series.name NOT LIKE ALL (ARRAY['db.client.%', 'db.table.%', 'db.index.%'])
        AND (resource.attributes->>'server.address' = ${server} OR series.attributes->>'server.address' = ${server})`,
    from,
    to,
  );
}

async function readMeasures(which: SQL, from: bigint, to: bigint): Promise<MeasureSeries[]> {
  const { rows } = await database().execute(sql`
    WITH wanted AS (SELECT series.id, series.name, series.unit, series.type, series.temporality, series.monotonic, series.attributes,
        series.service, coalesce(resource.attributes->>'service.instance.id', '') AS instance,
        coalesce(resource.attributes->>'host.name', '') AS host
      FROM series JOIN resource ON resource.id = series.resource_id
      WHERE series.type IN ('gauge', 'sum') AND (${which}))
    SELECT wanted.*, minutes.points FROM wanted JOIN LATERAL (
      SELECT json_agg(json_build_array(minute, value) ORDER BY minute) AS points FROM (
        SELECT (time_ns / 60000000000)::int AS minute,
          CASE WHEN wanted.type = 'gauge' THEN avg(value) WHEN wanted.temporality = ${CUMULATIVE} THEN max(value) ELSE sum(value) END AS value
        FROM metric_point WHERE series_id = wanted.id AND day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)}
          AND time_ns >= ${from} AND time_ns < ${to} AND value IS NOT NULL GROUP BY 1) AS by_minute) AS minutes
    ON minutes.points IS NOT NULL ORDER BY wanted.name, wanted.id LIMIT ${MOST_SERIES}`);
  return (rows as unknown as (MeasureSeries & { type: string; temporality: number; monotonic: boolean })[]).map(
    ({ name, unit, attributes, service: of, instance, host, points, type, temporality, monotonic }) => ({
      name,
      unit,
      attributes,
      service: of,
      instance,
      host,
      points: type === 'sum' && temporality === CUMULATIVE && monotonic ? increases(points) : points,
    }),
  );
}

/** What a count grew by from one minute to the next; where it fell, it began anew. */
function increases(points: MeasureSeries['points']): MeasureSeries['points'] {
  return points.slice(1).map(([minute, value], at) => [minute, value >= points[at][1] ? value - points[at][1] : value]);
}
