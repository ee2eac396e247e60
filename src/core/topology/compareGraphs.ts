import { type CallSum, noCalls } from '../measures/callSum.ts';
import { sumVerdicts } from '../verdict/sumVerdicts.ts';
import type { Measure, State, Verdict } from '../verdict/verdict.ts';
import type { Graph, GraphEdge, GraphNode } from './graph.ts';

/** What became of a part of the map: it was not there before, or is not there any more. */
export type Turn = 'new' | 'gone' | 'stays';

export interface ComparedNode extends Omit<GraphNode, 'figures'> {
  readonly lit: CallSum;
  readonly before: CallSum;
  readonly state: State;
  readonly changed?: Measure;
  readonly verdict: Verdict;
  readonly turn: Turn;
}

export interface ComparedEdge extends Omit<GraphEdge, 'caller' | 'callee'> {
  readonly lit: CallSum;
  readonly before: CallSum;
  /** As the callee measured them. */
  readonly litCallee: CallSum;
  readonly beforeCallee: CallSum;
  readonly state: State;
  readonly turn: Turn;
}

export interface ComparedGraph {
  readonly nodes: readonly ComparedNode[];
  readonly edges: readonly ComparedEdge[];
}

/** So many calls were to be expected on the other side before their absence says anything. */
const SURE = 5;

/**
 * Two graphs of the same system as one: everything that is in either, by id.
 *
 * @param litPerBefore how much of a thing is to be expected lit for one of it before: the ratio of the lengths of the windows
 * @param known verdicts on services, which other pages give, too; nodes without one are judged by their sums here
 */
export function compareGraphs(
  lit: Graph,
  before: Graph,
  litPerBefore: number,
  known: ReadonlyMap<string, Verdict> = new Map(),
): ComparedGraph {
  // Where nothing is known of before, nothing is new.
  const isKnown = before.nodes.some((it) => it.figures.calls > 0) || before.edges.some((it) => it.caller.calls > 0);
  const perBefore = isKnown ? litPerBefore : Number.POSITIVE_INFINITY;
  const unjudgedNodes = paired(lit.nodes, before.nodes, (it) => it.id).map(({ lit: now, before: then }) => {
    const { figures: _, ...rest } = (now ?? then)!;
    const sums = { lit: now?.figures ?? noCalls(), before: then?.figures ?? noCalls() };
    return { ...rest, ...sums, turn: turnOf(sums.lit, sums.before, perBefore) };
  });
  const bySums = sumVerdicts(unjudgedNodes);
  const nodes = unjudgedNodes.map((it, at): ComparedNode => {
    const verdict = (it.kind === 'service' && known.get(it.id)) || bySums[at];
    return { ...it, state: verdict.state, changed: verdict.changed, verdict };
  });
  const unjudgedEdges = paired(lit.edges, before.edges, edgeKey).map(({ lit: now, before: then }) => {
    const { from, to, protocol } = (now ?? then)!;
    const sums = { lit: now?.caller ?? noCalls(), before: then?.caller ?? noCalls() };
    return {
      from,
      to,
      protocol,
      ...sums,
      litCallee: now?.callee ?? noCalls(),
      beforeCallee: then?.callee ?? noCalls(),
      turn: turnOf(sums.lit, sums.before, perBefore),
    };
  });
  const edgeVerdicts = sumVerdicts(unjudgedEdges);
  const edges = unjudgedEdges.map((it, at): ComparedEdge => ({ ...it, state: edgeVerdicts[at].state }));
  return { nodes, edges };
}

export function edgeKey({ from, to, protocol }: Pick<GraphEdge, 'from' | 'to' | 'protocol'>): string {
  return `${from}\0${to}\0${protocol}`;
}

function turnOf(lit: CallSum, before: CallSum, litPerBefore: number): Turn {
  if (before.calls === 0 && lit.calls / litPerBefore >= SURE) return 'new';
  if (lit.calls === 0 && before.calls * litPerBefore >= SURE) return 'gone';
  return 'stays';
}

/** In the order of their keys, so that one picture is drawn whatever came first. */
function paired<T>(lit: readonly T[], before: readonly T[], keyOf: (it: T) => string): { lit?: T; before?: T }[] {
  const pairs = new Map<string, { lit?: T; before?: T }>();
  for (const it of lit) pairs.set(keyOf(it), { lit: it });
  for (const it of before) pairs.set(keyOf(it), { ...pairs.get(keyOf(it)), before: it });
  return [...pairs].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, pair]) => pair);
}
