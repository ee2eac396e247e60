import { sql } from 'drizzle-orm';
import { type Distribution, NO_VALUES } from '../../core/pools/distribution.ts';
import { type MeasuredMinute, POOL_METRICS, type StoredPool } from '../../core/pools/storedPool.ts';
import { readDistribution } from '../../formats/otlp/record/distributionPoint.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

const CUMULATIVE = 2;
/** Series and points that are read, at most: senders can make up any number. */
const MOST_SERIES = 2_000;
const MOST_POINTS = 400_000;

interface Row {
  readonly name: string;
  readonly type: 'gauge' | 'sum' | 'histogram' | 'exponential';
  readonly temporality: number;
  readonly service: string;
  readonly instance: string;
  readonly pool: string;
  readonly server: string;
  readonly state: string;
  readonly minute: number;
  readonly value: number | null;
  readonly point: Buffer | null;
}

/**
 * What is measured of pools of database connections in a stretch of time (epoch nanoseconds, `to` exclusive), by OpenTelemetry's names:
 * `db.client.connection.max`, `.count` by state (or `.used`), `.pending_requests`, `.wait_time`, `.use_time`, `.timeouts`. What a count grew by
 * is known from its second point on.
 */
export async function poolPoints(from: bigint, to: bigint): Promise<StoredPool[]> {
  const { rows } = await database().execute(sql`
    WITH wanted AS (SELECT series.id, series.name, series.type, series.temporality, series.service, series.attributes,
        coalesce(resource.attributes->>'service.instance.id', '') AS instance
      FROM series JOIN resource ON resource.id = series.resource_id
      WHERE starts_with(series.name, ${POOL_METRICS}) LIMIT ${MOST_SERIES})
    SELECT wanted.name, wanted.type, wanted.temporality, wanted.service, wanted.instance,
      coalesce(wanted.attributes->>'db.client.connection.pool.name', wanted.attributes->>'pool.name', '') AS pool,
      coalesce(wanted.attributes->>'server.address', '') AS server,
      coalesce(wanted.attributes->>'db.client.connection.state', '') AS state,
      (time_ns / 60000000000)::int AS minute, value, point
    FROM wanted JOIN metric_point ON metric_point.series_id = wanted.id
    WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
    ORDER BY wanted.id, time_ns LIMIT ${MOST_POINTS}`);
  return poolsFrom(rows as unknown as Row[]);
}

type Draft = { -readonly [Key in keyof MeasuredMinute]: MeasuredMinute[Key] };

function poolsFrom(rows: readonly Row[]): StoredPool[] {
  const pools = new Map<string, Omit<StoredPool, 'minutes'> & { server: string; minutes: Map<number, Draft> }>();
  const earlier = new Map<string, Distribution>();
  for (const row of rows) {
    const key = JSON.stringify([row.service, row.instance, row.pool]);
    const pool = pools.get(key) ?? {
      service: row.service,
      instance: row.instance,
      name: row.pool,
      server: '',
      minutes: new Map<number, Draft>(),
    };
    pools.set(key, pool);
    if (row.server !== '') pool.server = row.server;
    const draft = pool.minutes.get(row.minute) ?? {
      minute: row.minute,
      size: null,
      used: null,
      pending: null,
      waits: NO_VALUES,
      holds: NO_VALUES,
      timeouts: 0,
    };
    pool.minutes.set(row.minute, draft);
    book(draft, row, earlier, key);
  }
  return [...pools.values()].map(({ minutes, ...it }) => ({
    ...it,
    minutes: [...minutes.values()].sort((a, b) => a.minute - b.minute),
  }));
}

function book(draft: Draft, row: Row, earlier: Map<string, Distribution>, pool: string): void {
  const kind = row.name.slice(POOL_METRICS.length);
  if (row.type === 'histogram' || row.type === 'exponential') {
    if (!row.point || (kind !== 'wait_time' && kind !== 'use_time')) return;
    const found = readDistribution(row.point, row.type);
    const key = `${pool} ${kind}`;
    const values = row.temporality === CUMULATIVE ? increase(found, earlier.get(key)) : found;
    earlier.set(key, found);
    if (kind === 'wait_time') draft.waits = values;
    else draft.holds = values;
    return;
  }
  if (row.value === null) return;
  if (kind === 'max') draft.size = row.value;
  else if (kind === 'used' || (kind === 'count' && row.state === 'used')) draft.used = row.value;
  else if (kind === 'pending_requests') draft.pending = row.value;
  else if (kind === 'timeouts') draft.timeouts += row.value;
}

/** What came to a distribution since it was reported before; all of it when it began anew. */
function increase(now: Distribution, before: Distribution | undefined): Distribution {
  if (!before) return NO_VALUES;
  if (now.count < before.count) return now;
  const former = new Map(before.buckets.map(({ low, count }) => [low, count]));
  return {
    buckets: now.buckets.map((it) => ({ ...it, count: it.count - (former.get(it.low) ?? 0) })).filter(({ count }) => count > 0),
    count: now.count - before.count,
    sum: now.sum === null || before.sum === null ? null : now.sum - before.sum,
  };
}
