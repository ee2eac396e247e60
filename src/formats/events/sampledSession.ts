import { z } from 'zod';
import { type SampledSecond, type SampledSession, SESSION_STATES } from '../../core/database/sampledSecond.ts';
import type { Attributes } from '../../core/trace/span.ts';

/** Sessions of one moment, at most. */
export const MOST_SESSIONS = 5_000;

const text = z.string().max(300).default('');
const age = z.coerce.number().min(0).nullable().default(null);

/** A session of a `lantern.db.second` event, as `SampledSession`. */
export const sampledSession = z
  .object({
    session: z.coerce.string().min(1).max(64),
    database: text,
    user: text,
    program: text,
    client: text,
    backend: text,
    state: z.enum(SESSION_STATES),
    wait_class: text,
    wait_event: text,
    statement_id: z.string().max(64).default(''),
    traceparent: z.string().max(80).default(''),
    blocked_by: z.array(z.coerce.string().max(64)).max(100).default([]),
    since_ms: age,
    transaction_ms: age,
  })
  .transform(
    (it): SampledSession => ({
      session: it.session,
      database: it.database,
      user: it.user,
      program: it.program,
      client: it.client,
      backend: it.backend,
      state: it.state,
      waitClass: it.wait_class,
      waitEvent: it.wait_event,
      statementId: it.statement_id,
      traceparent: it.traceparent,
      blockedBy: it.blocked_by,
      sinceMs: it.since_ms,
      transactionMs: it.transaction_ms,
    }),
  );

/** The attributes of a `lantern.db.second` event. @param statements texts by id, of statements that a receiver may not know yet */
export function secondAttributes(
  { system, server, intervalMs, idle, most, cores, sessions }: Omit<SampledSecond, 'timeNs'>,
  statements: Readonly<Record<string, string>> = {},
): Attributes {
  return {
    'db.system.name': system,
    'server.address': server,
    ...(intervalMs === 1000 ? {} : { 'lantern.db.interval_ms': intervalMs }),
    'lantern.db.idle': idle,
    ...(most > 0 ? { 'lantern.db.most_sessions': most } : {}),
    ...(cores > 0 ? { 'lantern.db.cores': cores } : {}),
    'lantern.db.sessions': sessions.map(sessionAttributes),
    ...(Object.keys(statements).length > 0 ? { 'lantern.db.statements': statements } : {}),
  };
}

function sessionAttributes(it: SampledSession): Attributes {
  const all = {
    session: it.session,
    database: it.database,
    user: it.user,
    program: it.program,
    client: it.client,
    backend: it.backend,
    state: it.state,
    wait_class: it.waitClass,
    wait_event: it.waitEvent,
    statement_id: it.statementId,
    traceparent: it.traceparent,
    blocked_by: it.blockedBy.length === 0 ? '' : it.blockedBy,
    since_ms: it.sinceMs,
    transaction_ms: it.transactionMs,
  };
  // What is empty is left out: a server has hundreds of sessions.
  return Object.fromEntries(Object.entries(all).filter(([, value]) => value !== '' && value !== null));
}
