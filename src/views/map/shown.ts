import type { MapAnswer, MapEdge, MapNode } from '../../api/map/map.ts';
import { neighbourhood } from '../../core/topology/choose.ts';
import { ALL_STEPS, type MapOptions } from './options.ts';

/** The part of the map that the options leave. */
export interface Shown {
  readonly nodes: readonly MapNode[];
  readonly edges: readonly MapEdge[];
}

/** Nodes and edges that are drawn: within reach of one, with enough traffic, changed, as asked for. */
export function shownOf({ nodes, edges }: Pick<MapAnswer, 'nodes' | 'edges'>, options: MapOptions): Shown {
  const { around, up, down, least, changed } = options;
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
  };
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
