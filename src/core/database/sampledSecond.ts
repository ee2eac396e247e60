/** What a session of a database server was doing. The words are PostgreSQL's. */
export const SESSION_STATES = [
  'active',
  'idle',
  'idle in transaction',
  'idle in transaction (aborted)',
  'fastpath function call',
  'disabled',
] as const;

export type SessionState = (typeof SESSION_STATES)[number];

/** A session as a sampler saw it at one moment. Texts are empty where nothing is known. */
export interface SampledSession {
  /** The server's own number of it. */
  readonly session: string;
  readonly database: string;
  readonly user: string;
  readonly program: string;
  /** The host from which it was opened. */
  readonly client: string;
  readonly state: SessionState;
  /** What it waited for; both empty when it did not wait. */
  readonly waitClass: string;
  readonly waitEvent: string;
  /** Fingerprint of the statement that runs, or that ran last. */
  readonly statementId: string;
  /** W3C trace context from the statement's comment. */
  readonly traceparent: string;
  /** Numbers of the sessions that it waits for. */
  readonly blockedBy: readonly string[];
  /** Milliseconds since its state began; null when unknown. */
  readonly sinceMs: number | null;
  /** Milliseconds since its transaction began; null outside of one. */
  readonly transactionMs: number | null;
  /** The kind of process where it is one of the server's own, such as autovacuum worker; empty for clients. */
  readonly backend: string;
}

/** All sessions of a server that were not idle, at one moment. There is one also when there are none. */
export interface SampledSecond {
  readonly timeNs: bigint;
  readonly system: string;
  readonly server: string;
  /** How much time it represents, milliseconds. */
  readonly intervalMs: number;
  /** Sessions that were idle, outside of a transaction. */
  readonly idle: number;
  /** How many sessions the server allows; 0 when unknown. */
  readonly most: number;
  /** Cores of the server; 0 when unknown. */
  readonly cores: number;
  readonly sessions: readonly SampledSession[];
}

/** Whether a session counts into the load: it runs a statement. One that is idle inside a transaction does no work, it holds locks. */
export function isActive({ state }: Pick<SampledSession, 'state'>): boolean {
  return state === 'active' || state === 'fastpath function call';
}

/** Whether a session holds a transaction open without running a statement. */
export function isHeldOpen({ state }: Pick<SampledSession, 'state'>): boolean {
  return state === 'idle in transaction' || state === 'idle in transaction (aborted)';
}

const TRACEPARENT = /^00-([0-9a-f]{32})-([0-9a-f]{16})-[0-9a-f]{2}$/;

/** The trace and span that a traceparent names; undefined when it is none. */
export function traceOf({ traceparent }: Pick<SampledSession, 'traceparent'>): { traceId: string; spanId: string } | undefined {
  const found = TRACEPARENT.exec(traceparent);
  return found ? { traceId: found[1], spanId: found[2] } : undefined;
}
