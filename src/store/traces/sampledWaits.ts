import { sql } from 'drizzle-orm';
import { LOCKS } from '../../core/trace/databaseWaits.ts';
import type { DatabaseWaits } from '../../core/trace/ledger.ts';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';

/** Traces of which waits are read, at most. */
const MOST = 100_000;

/**
 * What the samples of database sessions say of the traces that began in some time: what part of a server's time for a trace was spent waiting for
 * locks and for storage. Traces that were not seen waiting are not in it. Times are epoch nanoseconds, `to` exclusive.
 *
 * @returns by trace and server
 */
export async function sampledWaits(
  from: bigint,
  to: bigint,
): Promise<(traceId: TraceId, server: string) => DatabaseWaits | undefined> {
  const { rows } = await database().execute(sql`SELECT trace_id AS "traceId", server, count(*)::int AS samples,
      count(*) FILTER (WHERE wait_class = ANY(${`{${[...LOCKS].join(',')}}`}::text[]))::int AS lock,
      count(*) FILTER (WHERE wait_class = 'IO')::int AS io
    FROM db_sample WHERE time_ns >= ${from} AND time_ns < ${to} AND state = 'active' AND trace_id <> ''
    GROUP BY 1, 2 HAVING bool_or(wait_class = 'IO' OR wait_class = ANY(${`{${[...LOCKS].join(',')}}`}::text[])) LIMIT ${MOST}`);
  const waits = new Map<string, DatabaseWaits>();
  for (const { traceId, server, samples, lock, io } of rows as unknown as {
    traceId: string;
    server: string;
    samples: number;
    lock: number;
    io: number;
  }[])
    waits.set(`${traceId} ${server}`, { lock: lock / samples, io: io / samples });
  return (traceId, server) => waits.get(`${traceId} ${server}`);
}
