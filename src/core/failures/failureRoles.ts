import { likeNumbers } from '../trace/alike/like.ts';
import type { Trace, TraceNode } from '../trace/assemble.ts';
import { isTransport, peerName } from '../trace/peer.ts';
import { isServerSide, isSynchronous } from '../trace/synchronous.ts';
import { isClientError, isServerRefusal } from './clientError.ts';

/** A failing span's part in the failure: it starts it (at `place`: itself or whom it called) or passes on a callee's. */
export interface FailureRole {
  readonly role: 'origin' | 'passes-on';
  readonly party: string;
}

/** Per node: its part in a failure; null when the span did not fail. */
export function failureRoles(trace: Trace): (FailureRole | null)[] {
  const { nodes } = trace;
  const failsBelow = new Uint8Array(nodes.length);
  // Depth-first order puts descendants behind their parent: from the back, every child is known before its parent.
  for (let index = nodes.length - 1; index >= 0; index--) {
    const { parent } = nodes[index];
    if (parent >= 0 && isSynchronous(nodes[index]) && (fails(nodes[index]) || failsBelow[index])) failsBelow[parent] = 1;
  }
  return nodes.map((node, index) => {
    if (!fails(node)) return null;
    if (failsBelow[index]) return { role: 'passes-on', party: node.span.service };
    return { role: 'origin', party: partyOf(trace, node) };
  });
}

/**
 * Failed attempts that a later attempt made good: nodes that failed although a like span (same service, name and kind) under the
 * same parent began later and did not fail.
 */
export function retriedNodes(trace: Trace): number[] {
  const { nodes } = trace;
  const numbers = likeNumbers(trace);
  const madeGood: number[] = [];
  for (const { children } of nodes) {
    if (!children.some((index) => fails(nodes[index]))) continue;
    const goodLater = new Set<number>();
    for (const index of [...children].reverse()) {
      if (!fails(nodes[index])) goodLater.add(numbers[index]);
      else if (goodLater.has(numbers[index])) madeGood.push(index);
    }
  }
  return madeGood.sort((a, b) => a - b);
}

/** How one failure went up: from the span where it began to the last caller that failed with it. Positions in `Trace.nodes`. */
export interface FailureChain {
  readonly party: string;
  readonly spans: readonly number[];
}

/** The failures of a trace, each from its origin upwards as far as callers failed with it; the earliest first. */
export function failureChains(trace: Trace, roles: readonly (FailureRole | null)[]): FailureChain[] {
  const { nodes } = trace;
  return roles
    .flatMap((role, origin): FailureChain[] => {
      if (role?.role !== 'origin') return [];
      const spans = [origin];
      // A caller between them may have hidden the failure: it is stepped over.
      for (let at = origin; nodes[at].parent >= 0 && isSynchronous(nodes[at]); at = nodes[at].parent)
        if (roles[nodes[at].parent]) spans.push(nodes[at].parent);
      return [{ party: role.party, spans }];
    })
    .sort((a, b) => nodes[a.spans[0]].end - nodes[b.spans[0]].end);
}

function fails(node: TraceNode): boolean {
  // The way to a callee fails with the call itself, which says whom it was to.
  return node.span.status === 'error' && !isTransport(node.span);
}

/**
 * Who made a span fail below which nothing fails: of a call, the one that was called, unless its answer blames the caller. A callee that
 * that reports itself need not call it a failure that it refused a caller; when it answered nothing, it may be the way between them.
 */
function partyOf({ nodes }: Trace, node: TraceNode): string {
  const { span } = node;
  if (span.kind !== 'client') return span.service;
  const callee = node.children.find((child) => isServerSide(node, nodes[child]));
  if (callee === undefined) return isClientError(span) ? span.service : peerName(span.attributes);
  return isServerRefusal(span) ? nodes[callee].span.service : span.service;
}
