import type pg from 'pg';
import type { SampledSession, SessionState } from '../../src/core/database/sampledSecond.ts';
import type { StatementNames } from './statementNames.ts';

/** What the collector is called in the server's own list: it leaves itself out. */
export const APPLICATION_NAME = 'dusk-lantern collector';

interface Row {
  readonly pid: number;
  readonly database: string | null;
  readonly user: string | null;
  readonly program: string | null;
  readonly client: string | null;
  readonly backend: string;
  readonly state: SessionState;
  readonly wait_class: string | null;
  readonly wait_event: string | null;
  readonly query_id: string | null;
  readonly query: string | null;
  readonly blocked_by: number[] | null;
  readonly since_ms: number | null;
  readonly transaction_ms: number | null;
}

/** All sessions at one moment. */
export interface SeenSessions {
  readonly sessions: readonly SampledSession[];
  readonly idle: number;
  /** Texts of statements that were not sent lately, by id. */
  readonly statements: Readonly<Record<string, string>>;
}

/** Ages are of the server's clock, never of this machine's. pg_blocking_pids costs a lock on the lock table: it is asked only for who waits. */
function query(hasQueryId: boolean): string {
  return `SELECT pid, datname AS database, usename AS "user", application_name AS program, host(client_addr) AS client,
      coalesce(backend_type, '') AS backend, state, wait_event_type AS wait_class, wait_event,
      ${hasQueryId ? 'query_id::text' : 'NULL'} AS query_id, query,
      CASE WHEN wait_event_type IN ('Lock', 'LWLock', 'BufferPin') THEN pg_blocking_pids(pid) END AS blocked_by,
      extract(epoch FROM clock_timestamp() - CASE WHEN state = 'active' THEN query_start ELSE state_change END) * 1000 AS since_ms,
      extract(epoch FROM clock_timestamp() - xact_start) * 1000 AS transaction_ms
    FROM pg_stat_activity
    WHERE state IS NOT NULL AND state <> 'idle' AND pid <> pg_backend_pid() AND application_name <> '${APPLICATION_NAME}'`;
}

const IDLE = `SELECT count(*)::int AS idle FROM pg_stat_activity WHERE state = 'idle' AND application_name <> '${APPLICATION_NAME}'`;
const TRACEPARENT = /traceparent\s*=\s*'(00-[0-9a-f]{32}-[0-9a-f]{16}-[0-9a-f]{2})'/;

/** Looks at all sessions once. */
export async function seeSessions(client: pg.Client, names: StatementNames, hasQueryId: boolean): Promise<SeenSessions> {
  const [{ rows }, idle] = await Promise.all([client.query<Row>(query(hasQueryId)), client.query<{ idle: number }>(IDLE)]);
  const statements: Record<string, string> = {};
  const sessions = rows.map((row): SampledSession => {
    const named = names.of(row.query_id, row.query ?? '');
    if (named?.isNew) statements[named.id] = named.text;
    // A process of the server's own that waits for work is idle.
    return {
      session: String(row.pid),
      database: row.database ?? '',
      user: row.user ?? '',
      program: row.program ?? '',
      client: row.client ?? '',
      backend: row.backend === 'client backend' ? '' : row.backend,
      state: row.state,
      waitClass: row.wait_class ?? '',
      waitEvent: row.wait_event ?? '',
      statementId: named?.id ?? '',
      traceparent: TRACEPARENT.exec(row.query ?? '')?.[1] ?? '',
      blockedBy: (row.blocked_by ?? []).filter((pid) => pid > 0).map(String),
      sinceMs: asNumber(row.since_ms),
      transactionMs: asNumber(row.transaction_ms),
    };
  });
  return { sessions, idle: idle.rows[0].idle, statements };
}

/** A moment that lies a hair ahead, by a clock that was set back, is now. */
function asNumber(value: unknown): number | null {
  return value === null || value === undefined ? null : Math.max(0, Number(value));
}
