import { isClientError } from '../../failures/clientError.ts';
import { failureChains, failureRoles } from '../../failures/failureRoles.ts';
import type { Trace } from '../../trace/assemble.ts';
import type { TraceId } from '../../trace/span.ts';
import { isMore } from '../../verdict/isMore.ts';
import { peerNode } from '../placeOnMap.ts';
import { addTo, MOST_SHOWN, notable, type Origin, STARTS_SHARE } from './origin.ts';

/** Where a failing request began to fail. */
export interface FailureStart {
  readonly traceId: TraceId;
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  /** Whether the answer blames the caller. */
  readonly clientError: boolean;
  /** Services that passed it on, from the bottom up. */
  readonly through: readonly string[];
  /** How many failing requests it represents; 1 by default. */
  readonly weight?: number;
}

/**
 * Where a request whose root failed began to fail: the origin whose failure reached the root, of several the one that failed last, since
 * the ones before were tried again. Undefined when the root did not fail.
 *
 * @returns `span`: the span that failed first, a position in `Trace.nodes`
 */
export function failureStart(trace: Trace): (FailureStart & { readonly span: number }) | undefined {
  const root = trace.roots[0];
  const roles = failureRoles(trace);
  if (!roles[root]) return undefined;
  const chain = failureChains(trace, roles).findLast(({ spans }) => spans.includes(root));
  if (!chain) return undefined;
  const [first] = chain.spans;
  const { span } = trace.nodes[first];
  const node = chain.party === span.service ? span.service : peerNode(span);
  const through = new Set(chain.spans.map((at) => trace.nodes[at].span.service));
  through.delete(node);
  return {
    traceId: span.traceId,
    node,
    party: chain.party,
    span: first,
    clientError: isClientError(span),
    through: [...through],
  };
}

/** How many requests there are, how many of them fail, and where those began to fail: all of them, or a sample with weights. */
export interface FailingRequests<Start extends FailureStart = FailureStart> {
  readonly requests: number;
  readonly failing: number;
  readonly starts: readonly Start[];
}

/** Where failures start, by place, the most of them first: those of the lit window, held against those before. */
export function failureOrigins(lit: FailingRequests, before: FailingRequests): Origin[] {
  const counts = byNode(lit.starts);
  const countsBefore = byNode(before.starts);
  const all = weightOf(lit.starts);
  const allBefore = weightOf(before.starts);
  return [...counts]
    .map(([node, starts]): Origin => {
      const share = weightOf(starts) / all;
      const amount = share * lit.failing;
      const then = allBefore === 0 ? 0 : weightOf(countsBefore.get(node) ?? []) / allBefore;
      const grew = before.requests === 0 || isMore(amount, lit.requests, then * before.failing, before.requests);
      const passed = new Map<string, number>();
      for (const { through, weight = 1 } of starts) for (const service of through) addTo(passed, service, weight);
      return {
        node,
        party: starts[0].party,
        share,
        amount,
        starts: share >= STARTS_SHARE && grew,
        traces: starts.slice(0, MOST_SHOWN).map(({ traceId }) => traceId),
        through: notable(passed, weightOf(starts)),
      };
    })
    .sort((a, b) => b.share - a.share || (a.party < b.party ? -1 : 1));
}

function byNode(starts: readonly FailureStart[]): Map<string, FailureStart[]> {
  const nodes = new Map<string, FailureStart[]>();
  for (const start of starts) {
    const known = nodes.get(start.node);
    if (known) known.push(start);
    else nodes.set(start.node, [start]);
  }
  return nodes;
}

function weightOf(starts: readonly FailureStart[]): number {
  return starts.reduce((sum, { weight = 1 }) => sum + weight, 0);
}
