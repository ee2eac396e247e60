import { likeNumbers } from '../trace/alike/like.ts';
import type { Trace } from '../trace/assemble.ts';
import { attributeOf } from '../trace/attributeNames.ts';
import type { Nanos } from '../trace/span.ts';
import { isServerSide } from '../trace/synchronous.ts';

/** One call made again after it failed: positions in `Trace.nodes`, in the order they were tried. */
export interface Attempts {
  readonly parent: number;
  readonly tries: readonly number[];
  /** Whether the last of them went well. */
  readonly madeGood: boolean;
}

/** A caller that did not wait any longer, while the callee went on. */
export interface GaveUp {
  readonly caller: number;
  readonly callee: number;
  /** How long the callee went on after the caller had ended. */
  readonly wentOnNs: Nanos;
}

/** Less than this is no giving up, but the way of the answer and clocks that are not exact. */
const LEAST_WENT_ON = 1_000_000;

/**
 * Calls that were tried again: a failed span, and after its end a like one (same service, name and kind) under the same parent. Each
 * failed one is answered by the next that begins after it ended; what runs beside it is another call.
 */
export function attempts(trace: Trace): Attempts[] {
  const { nodes } = trace;
  const numbers = likeNumbers(trace);
  return nodes.flatMap(({ children }, parent) => {
    if (!children.some((child) => fails(trace, child))) return [];
    const open = new Map<number, number[][]>();
    const chains: number[][] = [];
    for (const child of children) {
      const waiting = open.get(numbers[child]) ?? [];
      open.set(numbers[child], waiting);
      const of = waiting.findIndex((chain) => nodes[chain[chain.length - 1]].end <= nodes[child].start);
      const chain = of < 0 ? [] : waiting.splice(of, 1)[0];
      chain.push(child);
      if (chain.length === 2) chains.push(chain);
      // Only a failure is tried again.
      if (fails(trace, child)) waiting.push(chain);
    }
    return chains.map((tries) => ({ parent, tries, madeGood: !fails(trace, tries[tries.length - 1]) }));
  });
}

/** Calls whose callee went on after the caller had given them up: the server side ends after its client, which failed. */
export function gaveUp(trace: Trace): GaveUp[] {
  const { nodes } = trace;
  return nodes.flatMap((node, callee) => {
    if (node.parent < 0) return [];
    const caller = nodes[node.parent];
    const wentOnNs = node.end - caller.end;
    return isServerSide(caller, node) && caller.span.status === 'error' && wentOnNs >= LEAST_WENT_ON
      ? [{ caller: node.parent, callee, wentOnNs }]
      : [];
  });
}

const CANCELLED = /cancel+ed|cancellation|abort(?:ed|error)|context canceled/i;
/** The status code of gRPC for a call that was cancelled, and the one servers note when the client went away. */
const GRPC_CANCELLED = 1;
const CLIENT_CLOSED = 499;

/** Failed spans and answers of servers whose work was cancelled, by their status, exception or code: positions in `Trace.nodes`. */
export function cancelledNodes({ nodes }: Trace): number[] {
  return nodes.flatMap(({ span }, at) => {
    // What went well was not cancelled; the server side of what was may not call it a failure.
    if (span.status !== 'error' && span.kind !== 'server') return [];
    const { attributes, statusMessage, events } = span;
    const told =
      Number(attributes['rpc.grpc.status_code']) === GRPC_CANCELLED ||
      Number(attributeOf(attributes, 'http.response.status_code')) === CLIENT_CLOSED ||
      CANCELLED.test(statusMessage) ||
      events.some(({ attributes: its }) => CANCELLED.test(String(its['exception.type'] ?? '')));
    return told ? [at] : [];
  });
}

function fails({ nodes }: Trace, node: number): boolean {
  return nodes[node].span.status === 'error';
}
