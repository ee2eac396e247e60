import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { SampledSecond, SampledSession } from '../../core/database/sampledSecond.ts';

type Text = string;
type PackedSession = readonly [
  session: Text,
  database: Text,
  user: Text,
  program: Text,
  client: Text,
  backend: Text,
  state: SampledSession['state'],
  waitClass: Text,
  waitEvent: Text,
  statementId: Text,
  traceparent: Text,
  blockedBy: readonly Text[],
  sinceMs: number | null,
  transactionMs: number | null,
];
type PackedMoment = readonly [
  timeNs: Text,
  intervalMs: number,
  idle: number,
  most: number,
  cores: number,
  sessions: readonly PackedSession[],
];

/** Moments of one server as bytes: what they have in common is not written again. */
export function packSeconds(seconds: readonly SampledSecond[]): Buffer {
  const moments = seconds.map(
    (it): PackedMoment => [String(it.timeNs), it.intervalMs, it.idle, it.most, it.cores, it.sessions.map(packSession)],
  );
  return deflateRawSync(JSON.stringify(moments), { level: 6 });
}

/** What `packSeconds` was given. */
export function unpackSeconds(data: Uint8Array, { system, server }: Pick<SampledSecond, 'system' | 'server'>): SampledSecond[] {
  const moments = JSON.parse(inflateRawSync(data).toString()) as PackedMoment[];
  return moments.map(([timeNs, intervalMs, idle, most, cores, sessions]) => ({
    timeNs: BigInt(timeNs),
    system,
    server,
    intervalMs,
    idle,
    most,
    cores,
    sessions: sessions.map(unpackSession),
  }));
}

function packSession(it: SampledSession): PackedSession {
  return [
    it.session,
    it.database,
    it.user,
    it.program,
    it.client,
    it.backend,
    it.state,
    it.waitClass,
    it.waitEvent,
    it.statementId,
    it.traceparent,
    it.blockedBy,
    it.sinceMs === null ? null : Math.round(it.sinceMs),
    it.transactionMs === null ? null : Math.round(it.transactionMs),
  ];
}

function unpackSession(it: PackedSession): SampledSession {
  const [session, database, user, program, client, backend, state, waitClass, waitEvent, statementId, traceparent] = it;
  return {
    session,
    database,
    user,
    program,
    client,
    backend,
    state,
    waitClass,
    waitEvent,
    statementId,
    traceparent,
    blockedBy: it[11],
    sinceMs: it[12],
    transactionMs: it[13],
  };
}
