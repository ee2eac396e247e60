import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** What calls of a statement have cost between two readings of its counters. */
export interface StatementCost {
  readonly calls: number;
  readonly totalMs: number;
  readonly rows: number;
  readonly blocksHit: number;
  readonly blocksRead: number;
  readonly blocksTemporary: number;
  readonly readMs: number;
}

/** Readings are a minute apart: the one before a stretch is no older than this. */
const READING_NS = 120_000_000_000n;

const COUNTERS = ['calls', 'total_ms', 'rows', 'blocks_hit', 'blocks_read', 'blocks_temporary', 'read_ms'] as const;
const COST_NAMES = ['calls', 'totalMs', 'rows', 'blocksHit', 'blocksRead', 'blocksTemporary', 'readMs'] as const;

/** The increments of a counter; where the calls fell, all counters began anew. */
const increments = sql.join(
  COUNTERS.map((name, at) =>
    sql.raw(
      `CASE WHEN lag(calls) OVER earlier IS NULL THEN NULL WHEN calls < lag(calls) OVER earlier THEN ${name} ELSE greatest(0, ${name} - lag(${name}) OVER earlier) END AS "${COST_NAMES[at]}"`,
    ),
  ),
  sql`, `,
);

function steps(server: string, from: bigint, to: bigint, statementId?: string) {
  return sql`SELECT statement_id, time_ns, ${increments} FROM db_statement
    WHERE server = ${server} AND day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1}
      AND time_ns >= ${from - READING_NS} AND time_ns < ${to} ${statementId === undefined ? sql`` : sql`AND statement_id = ${statementId}`}
    WINDOW earlier AS (PARTITION BY statement_id, database ORDER BY time_ns)`;
}

/** What the calls of a server's statements have cost in a stretch of time (epoch nanoseconds, `to` exclusive), by statement. */
export async function statementCosts(server: string, from: bigint, to: bigint): Promise<Map<string, StatementCost>> {
  const sums = sql.raw(COST_NAMES.map((name) => `sum("${name}")::float8 AS "${name}"`).join(', '));
  const { rows } = await database().execute(sql`SELECT statement_id AS id, ${sums} FROM (${steps(server, from, to)}) AS step
    WHERE calls IS NOT NULL AND time_ns >= ${from} GROUP BY 1`);
  return new Map((rows as unknown as (StatementCost & { id: string })[]).map(({ id, ...cost }) => [id, cost]));
}

/** The same of one statement, reading by reading. @returns with the time of each reading, epoch milliseconds */
export async function statementSteps(
  server: string,
  statementId: string,
  from: bigint,
  to: bigint,
): Promise<(StatementCost & { readonly at: number })[]> {
  const values = sql.raw(COST_NAMES.map((name) => `sum("${name}")::float8 AS "${name}"`).join(', '));
  const { rows } = await database().execute(sql`SELECT (time_ns / 1000000)::float8 AS at, ${values}
    FROM (${steps(server, from, to, statementId)}) AS step WHERE calls IS NOT NULL AND time_ns >= ${from} GROUP BY time_ns ORDER BY time_ns`);
  return rows as unknown as (StatementCost & { at: number })[];
}
