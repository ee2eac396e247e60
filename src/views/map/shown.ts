import type { MapAnswer, MapEdge, MapNode } from '../../api/map/map.ts';
import { neighbourhood } from '../../core/topology/choose.ts';
import { ALL_STEPS, type MapOptions } from './options.ts';

/** The part of the map that the options leave. */
export interface Shown {
  readonly nodes: readonly MapNode[];
  readonly edges: readonly MapEdge[];
  /** Lit calls that are left out, since of so few it is not known which operation made them. */
  readonly unknownCalls: number;
}

/** Nodes and edges that are drawn: within reach of one, with enough traffic, changed, as asked for. */
export function shownOf(map: Pick<MapAnswer, 'nodes' | 'edges'>, options: MapOptions): Shown {
  const { around, up, down, least, changed } = options;
  const unknown = rareUnknown(map, around);
  const nodes = map.nodes.filter(({ id }) => !unknown.has(id));
  const edges = map.edges.filter(({ from, to }) => !unknown.has(from) && !unknown.has(to));
  const busiest = Math.max(1, ...edges.map(callsOf));
  let kept = edges.filter((edge) => callsOf(edge) >= least * busiest);
  if (changed) kept = kept.filter((edge) => isChanged(edge) || [edge.from, edge.to].some((id) => isChangedNode(nodes, id)));
  const isNarrowed = least > 0 || changed;
  const joined = new Set(kept.flatMap(({ from, to }) => [from, to]));
  let ids = new Set(nodes.filter((it) => !isNarrowed || joined.has(it.id) || (changed && isChanged(it))).map((it) => it.id));
  if (around !== '' && nodes.some((it) => it.id === around)) {
    const all = (steps: number) => (steps >= ALL_STEPS ? Number.POSITIVE_INFINITY : steps);
    const near = neighbourhood(kept, around, { up: all(up), down: all(down) });
    ids = new Set([...ids].filter((id) => near.has(id)).concat(around));
  }
  return {
    nodes: nodes.filter((it) => ids.has(it.id)),
    edges: kept.filter(({ from, to }) => ids.has(from) && ids.has(to)),
    unknownCalls: map.edges.reduce((sum, { from, lit }) => sum + (unknown.has(from) ? lit.calls : 0), 0),
  };
}

/** Of a service's calls, so small a part whose operation is not known says nothing, and would be a plate each. */
const RARE = 0.01;

/** Of a map of operations, the services that stand for calls of which no more is known, where those are rare. */
function rareUnknown({ nodes, edges }: Pick<MapAnswer, 'nodes' | 'edges'>, around: string): Set<string> {
  const serviceOf = new Map(nodes.map(({ id, kind, service }) => [id, kind === 'service' ? service : null]));
  const made = new Map<string | null, number>();
  const madeBy = new Map<string, number>();
  const into = new Set<string>();
  for (const edge of edges) {
    const service = serviceOf.get(edge.from) ?? null;
    made.set(service, (made.get(service) ?? 0) + callsOf(edge));
    madeBy.set(edge.from, (madeBy.get(edge.from) ?? 0) + callsOf(edge));
    into.add(edge.to);
  }
  const isByOperation = nodes.some(({ operation }) => operation !== null);
  const isRare = ({ id, kind, service, operation, lit, before }: MapNode) =>
    kind === 'service' &&
    operation === null &&
    lit.calls + before.calls === 0 &&
    !into.has(id) &&
    (madeBy.get(id) ?? 0) < RARE * (made.get(service) ?? 0);
  return new Set(nodes.filter((it) => isByOperation && it.id !== around && isRare(it)).map(({ id }) => id));
}

function callsOf({ lit, before }: MapEdge): number {
  return Math.max(lit.calls, before.calls);
}

function isChanged({ state, turn }: Pick<MapNode, 'state' | 'turn'>): boolean {
  return turn !== 'stays' || state === 'strained' || state === 'failing';
}

function isChangedNode(nodes: readonly MapNode[], id: string): boolean {
  return nodes.some((it) => it.id === id && isChanged(it));
}
