import type { Trace } from '../assemble.ts';
import { peerName } from '../peer.ts';
import type { Nanos } from '../span.ts';
import { backoffs, withBackoffs } from './backoff.ts';
import type { PathSegment } from './criticalPath.ts';
import { type PartyKind, type TimeKind, timeKind } from './timeKind.ts';

/** One line of "where the time went". The lines of a ledger sum to the root's duration exactly. */
export interface LedgerLine extends PartyKind {
  readonly durationNs: Nanos;
  /** Of the whole, 0 to 1. */
  readonly share: number;
  /** Whose time on the path it is: positions in `Trace.nodes`. */
  readonly nodes: readonly number[];
}

/**
 * How much of a database span its server spent waiting, by what its session samples say: shares of the span's time, 0 to 1, whose
 * sum is at most 1.
 */
export interface DatabaseWaits {
  readonly lock: number;
  readonly io: number;
}

/**
 * Where the time of the critical path went, by place and kind, the largest first.
 *
 * @param waits what is known of a node's database time; without it the whole is "db"
 */
export function ledger(
  trace: Trace,
  path: readonly PathSegment[],
  waits: (node: number) => DatabaseWaits | undefined = () => undefined,
): LedgerLine[] {
  const sums = new Map<string, { party: string; kind: TimeKind; durationNs: Nanos; nodes: Set<number> }>();
  let total = 0;
  const book = (party: string, kind: TimeKind, durationNs: Nanos, node: number) => {
    if (durationNs === 0) return;
    const key = `${kind} ${party}`;
    const line = sums.get(key) ?? { party, kind, durationNs: 0, nodes: new Set() };
    line.durationNs += durationNs;
    line.nodes.add(node);
    sums.set(key, line);
  };
  for (const { node, start, end, queue, backoff } of withBackoffs(path, backoffs(trace))) {
    const length = end - start;
    total += length;
    if (queue !== undefined) {
      book(queue, 'queue', length, node);
      continue;
    }
    if (backoff) {
      const { failed, callee } = backoff;
      const party = callee === undefined ? peerName(trace.nodes[failed].span.attributes) : trace.nodes[callee].span.service;
      book(party, 'backoff', length, node);
      continue;
    }
    const { party, kind } = timeKind(trace, node);
    const known = kind === 'db' ? waits(node) : undefined;
    const lock = known ? Math.floor(length * known.lock) : 0;
    const io = known ? Math.floor(length * known.io) : 0;
    book(party, 'lock', lock, node);
    book(party, 'io', io, node);
    // The rest is what is left over, so that rounding never breaks the sum.
    book(party, kind, length - lock - io, node);
  }
  return [...sums.values()]
    .map(({ nodes, ...line }) => ({ ...line, share: total === 0 ? 0 : line.durationNs / total, nodes: [...nodes] }))
    .sort((a, b) => b.durationNs - a.durationNs || (`${a.party} ${a.kind}` < `${b.party} ${b.kind}` ? -1 : 1));
}
