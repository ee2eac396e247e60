import { type SampledSecond, type SampledSession, traceOf } from '../../core/database/sampledSecond.ts';
import { secondsBetween } from '../databases/sampledSeconds.ts';
import { statementTexts } from '../databases/statementTexts.ts';

/** The session of a database that works for a running request, as a sampler saw it last, and who stands in its way. */
export interface SessionBehind {
  readonly server: string;
  readonly waitClass: string;
  readonly waitEvent: string;
  /** How long it has been in its state, milliseconds; null when not known. */
  readonly sinceMs: number | null;
  /** The session at the end of those that it waits for; null when it waits for none. */
  readonly root: {
    readonly session: string;
    readonly program: string;
    readonly state: string;
    readonly sinceMs: number | null;
    readonly statement: string;
    /** Sessions that wait for it, directly or behind others. */
    readonly behind: number;
    readonly traceId: string;
  } | null;
}

/** How far back samples are looked at: samplers send every few seconds. */
const RECENT_NS = 20_000_000_000n;

/** By trace. @param moment epoch nanoseconds */
export async function sessionsBehind(traceIds: ReadonlySet<string>, moment: bigint): Promise<Map<string, SessionBehind>> {
  const found = new Map<string, SessionBehind>();
  if (traceIds.size === 0) return found;
  const seconds = await secondsBetween({ from: moment - RECENT_NS, to: moment }, ({ sessions }) =>
    sessions.some((it) => traceIds.has(traceOf(it)?.traceId ?? '')),
  );
  const latest = new Map<string, { readonly second: SampledSecond; readonly session: SampledSession }>();
  for (const second of seconds)
    for (const session of second.sessions) {
      const traceId = traceOf(session)?.traceId;
      if (traceId && traceIds.has(traceId)) latest.set(traceId, { second, session });
    }
  const roots = new Map([...latest].map(([traceId, { second, session }]) => [traceId, rootOf(second, session)]));
  const texts = await statementTexts([...roots.values()].flatMap((root) => (root ? [root.statementId] : [])));
  for (const [traceId, { second, session }] of latest) {
    const root = roots.get(traceId);
    found.set(traceId, {
      server: second.server,
      waitClass: session.waitClass,
      waitEvent: session.waitEvent,
      sinceMs: session.sinceMs,
      root: root
        ? {
            session: root.session,
            program: root.program,
            state: root.state,
            sinceMs: root.sinceMs,
            statement: texts.get(root.statementId) ?? '',
            behind: second.sessions.filter((it) => it !== root && rootOf(second, it) === root).length,
            traceId: traceOf(root)?.traceId ?? '',
          }
        : null,
    });
  }
  return found;
}

/** Whom a session waits for in the end; undefined when it waits for no session that was seen. */
function rootOf({ sessions }: SampledSecond, session: SampledSession): SampledSession | undefined {
  const byId = new Map(sessions.map((it) => [it.session, it]));
  const seen = new Set<SampledSession>([session]);
  let at = session;
  for (;;) {
    const next = at.blockedBy.map((id) => byId.get(id)).find((it) => it !== undefined && !seen.has(it));
    if (!next) return at === session ? undefined : at;
    seen.add(next);
    at = next;
  }
}
