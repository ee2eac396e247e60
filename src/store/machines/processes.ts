import { sql } from 'drizzle-orm';
import type { HostProcess } from '../../formats/events/hostProcess.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** A process of a host over a stretch of time: means over all looks, also those that it was not among. */
export type MeanProcess = Pick<HostProcess, 'name' | 'cores' | 'wants' | 'memory' | 'reads' | 'writes' | 'container' | 'job'>;

/** Kinds of processes of a stretch: each event names the busiest of its minute, which change. */
const MOST = 300;
/** Looks that are read, the last ones: two days of one a minute. */
const MOST_LOOKS = 2_880;

/** The busiest processes of a host in a stretch of time, epoch nanoseconds, `to` exclusive. */
export async function meanProcesses(host: string, from: bigint, to: bigint): Promise<MeanProcess[]> {
  const { rows } = await database().execute(sql`
    WITH looks AS (
      SELECT processes FROM host_processes
      WHERE host = ${host} AND day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      ORDER BY time_ns DESC LIMIT ${MOST_LOOKS}
    ), counted AS (SELECT greatest(1, count(*)) AS looks FROM looks)
    SELECT it->>'name' AS name, it->>'container' AS container, it->>'job' AS job,
      sum((it->>'cores')::float8) / looks AS cores, sum((it->>'wants')::float8) / looks AS wants, max((it->>'memory')::float8) AS memory,
      sum((it->>'reads')::float8) / looks AS reads, sum((it->>'writes')::float8) / looks AS writes
    FROM looks, counted, jsonb_array_elements(processes) AS it GROUP BY 1, 2, 3, looks ORDER BY cores DESC LIMIT ${MOST}`);
  return rows as unknown as MeanProcess[];
}
