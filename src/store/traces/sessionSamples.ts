import { inArray, sql } from 'drizzle-orm';
import { isActive, type SampledSecond, type SampledSession, traceOf } from '../../core/database/sampledSecond.ts';
import { parseSpanId, type TraceId } from '../../core/trace/span.ts';
import type { SessionSample } from '../../core/trace/time/databaseWaits.ts';
import { database } from '../database/connection.ts';
import { secondsBetween } from '../databases/sampledSeconds.ts';
import { statementTexts } from '../databases/statementTexts.ts';
import { trace } from '../schema/index.ts';

/** Clocks of a sampler and a service are no further apart than this; spans may end after the root. */
const MARGIN_NS = 60_000_000_000n;
/** Of a trace that took longer, the samples of so much time from its beginning are looked at. */
const LONGEST_NS = 3_600_000_000_000n;

/** Database sessions as they were seen working for some traces, by trace, each by time. Those without any are not in it. */
export async function samplesOfTraces(traceIds: readonly TraceId[]): Promise<Map<TraceId, SessionSample[]>> {
  const byTrace = new Map<TraceId, SessionSample[]>();
  if (traceIds.length === 0) return byTrace;
  const wanted = new Set<string>(traceIds);
  const seen: {
    readonly traceId: TraceId;
    readonly spanId: string;
    readonly it: SampledSession;
    readonly second: SampledSecond;
  }[] = [];
  for (const second of await secondsOfTraces(traceIds))
    for (const it of second.sessions) {
      const of = traceOf(it);
      if (of && wanted.has(of.traceId) && isActive(it))
        seen.push({ traceId: of.traceId as TraceId, spanId: of.spanId, it, second });
    }
  const texts = await statementTexts(seen.map(({ it }) => it.statementId));
  for (const { traceId, spanId, it, second } of seen) {
    const sample: SessionSample = {
      time: second.timeNs,
      server: second.server,
      waitClass: it.waitClass,
      waitEvent: it.waitEvent,
      blockedBy: it.blockedBy,
      spanId: parseSpanId(spanId) ?? null,
      statement: texts.get(it.statementId) ?? '',
    };
    const samples = byTrace.get(traceId);
    if (samples) samples.push(sample);
    else byTrace.set(traceId, [sample]);
  }
  return byTrace;
}

/** The seconds in which some session was seen at work for one of some traces, in order of time. */
export async function secondsOfTraces(traceIds: readonly TraceId[]): Promise<SampledSecond[]> {
  const rows = await database()
    .select({ startNs: trace.startNs, endNs: sql<string>`${trace.rootStartNs} + ${trace.durationNs}` })
    .from(trace)
    .where(inArray(trace.traceId, [...traceIds]));
  const stretches = rows
    .map(({ startNs, endNs }) => {
      const end = BigInt(endNs) - startNs > LONGEST_NS ? startNs + LONGEST_NS : BigInt(endNs);
      return { from: startNs - MARGIN_NS, to: end + MARGIN_NS };
    })
    .sort((a, b) => (a.from < b.from ? -1 : 1));
  const joined: { from: bigint; to: bigint }[] = [];
  for (const it of stretches) {
    const last = joined.at(-1);
    if (last && it.from <= last.to) last.to = it.to > last.to ? it.to : last.to;
    else joined.push({ ...it });
  }
  const wanted = new Set<string>(traceIds);
  const names = (second: SampledSecond) =>
    second.sessions.some((it) => it.traceparent !== '' && wanted.has(traceOf(it)?.traceId ?? ''));
  const seconds: SampledSecond[] = [];
  for (const stretch of joined) for (const it of await secondsBetween(stretch, names)) seconds.push(it);
  return seconds;
}
