import type { Trace } from '../assemble.ts';
import { databaseSystem, peerName } from '../peer.ts';
import type { EpochNanos, SpanId } from '../span.ts';
import type { DatabaseWaits } from './ledger.ts';

/** A database session as it was seen at one moment while it worked for a trace. */
export interface SessionSample {
  readonly time: EpochNanos;
  readonly server: string;
  /** The span that the statement names in its comment; null when it names none. */
  readonly spanId: SpanId | null;
  /** Empty when it did not wait. */
  readonly waitClass: string;
  readonly waitEvent: string;
  readonly blockedBy: readonly string[];
  readonly statement: string;
}

/** What the samples say of one span's time at its database. */
export interface SampledWaits extends DatabaseWaits {
  readonly samples: readonly SessionSample[];
}

/** Wait classes in which a session waits for another one. */
export const LOCKS: ReadonlySet<string> = new Set(['Lock', 'LWLock', 'BufferPin']);

/**
 * Per node of the database calls that were sampled: the shares of its time spent waiting for locks and for storage. A sample belongs
 * to the span that its statement names, or else to the one call of its server that ran at that moment.
 */
export function databaseWaits(trace: Trace, samples: readonly SessionSample[]): Map<number, SampledWaits> {
  if (samples.length === 0) return new Map();
  const calls = trace.nodes.flatMap(({ span }, at) => (span.kind === 'client' && databaseSystem(span.attributes) ? [at] : []));
  const byId = new Map(calls.map((at) => [trace.nodes[at].span.spanId, at]));
  const found = new Map<number, SessionSample[]>();
  for (const sample of samples) {
    const named = sample.spanId === null ? undefined : byId.get(sample.spanId);
    const owner = named ?? onlyCallAt(trace, calls, sample);
    if (owner === undefined) continue;
    const list = found.get(owner);
    if (list) list.push(sample);
    else found.set(owner, [sample]);
  }
  return new Map([...found].map(([at, list]) => [at, { samples: list, ...shares(list) }]));
}

function onlyCallAt(trace: Trace, calls: readonly number[], { time, server }: SessionSample): number | undefined {
  const at = Number(time - trace.start);
  const running = calls.filter((call) => {
    const { span, start, end, shift } = trace.nodes[call];
    return start - shift <= at && at <= end - shift && peerName(span.attributes) === server;
  });
  return running.length === 1 ? running[0] : undefined;
}

function shares(samples: readonly SessionSample[]): DatabaseWaits {
  const part = (fits: (it: SessionSample) => boolean) => samples.filter(fits).length / samples.length;
  return { lock: part((it) => LOCKS.has(it.waitClass)), io: part((it) => it.waitClass === 'IO') };
}
