import { type SampledSession, traceOf } from '../../core/database/sampledSecond.ts';
import type { SpanId, TraceId } from '../../core/trace/span.ts';
import { statementTexts } from '../databases/statementTexts.ts';
import { secondsOfTraces } from './sessionSamples.ts';

/** A database session that others waited for. */
export interface Blocker {
  readonly server: string;
  readonly session: string;
  readonly program: string;
  readonly state: string;
  readonly statement: string;
  /** Hex; empty when it worked for no trace that it tells of. */
  readonly traceId: string;
  /** In how many samples it stood in the way. */
  readonly samples: number;
  /** 1: it blocked the span itself; 2: it blocked who blocked it, and so on. */
  readonly depth: number;
  /** Whether it did not wait itself. */
  readonly isFirst: boolean;
}

const MOST = 6;

/** The sessions that a span's database call waited for, and those that these waited for, by the samples that name the span; the first cause first. */
export async function blockersOf(traceId: TraceId, spanId: SpanId): Promise<Blocker[]> {
  const found = new Map<string, { -readonly [Key in keyof Blocker]: Blocker[Key] } & { statementId: string }>();
  for (const { server, sessions } of await secondsOfTraces([traceId])) {
    const own = sessions.find((it) => {
      const of = traceOf(it);
      return of?.traceId === traceId && of.spanId === spanId && it.blockedBy.length > 0;
    });
    if (!own) continue;
    for (const { it, depth } of holdersOf(own, sessions)) {
      const { session, program, state, statementId } = it;
      const holderTrace = traceOf(it)?.traceId ?? '';
      const key = JSON.stringify([server, session, program, state, statementId, holderTrace]);
      const known = found.get(key);
      const isFirst = it.blockedBy.length === 0;
      if (known) {
        known.samples++;
        known.depth = Math.min(known.depth, depth);
        known.isFirst &&= isFirst;
      } else
        found.set(key, {
          server,
          session,
          program,
          state,
          statement: '',
          statementId,
          traceId: holderTrace,
          samples: 1,
          depth,
          isFirst,
        });
    }
  }
  const worst = [...found.values()]
    .sort((a, b) => Number(b.isFirst) - Number(a.isFirst) || b.samples - a.samples || (a.session < b.session ? -1 : 1))
    .slice(0, MOST);
  const texts = await statementTexts(worst.map(({ statementId }) => statementId));
  return worst.map(({ statementId, ...it }) => ({ ...it, statement: texts.get(statementId) ?? '' }));
}

/** Whom a session waits for, and whom those wait for; each once, at its least depth. */
function holdersOf(session: SampledSession, all: readonly SampledSession[]): { it: SampledSession; depth: number }[] {
  const byNumber = new Map(all.map((it) => [it.session, it]));
  const seen = new Set([session.session]);
  const holders: { it: SampledSession; depth: number }[] = [];
  let level = [session];
  for (let depth = 1; level.length > 0; depth++) {
    const next: SampledSession[] = [];
    for (const number of level.flatMap(({ blockedBy }) => blockedBy)) {
      const it = byNumber.get(number);
      if (!it || seen.has(number)) continue;
      seen.add(number);
      next.push(it);
      holders.push({ it, depth });
    }
    level = next;
  }
  return holders;
}
