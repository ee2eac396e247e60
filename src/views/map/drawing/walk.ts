import type { MapEdge } from '../../../api/map/map.ts';
import type { MapLayout } from './layout.ts';

export type Way = 'left' | 'right' | 'up' | 'down';

/**
 * The node that an arrow key leads to: right along the busiest call, left to the busiest caller, up and down to the next in the same layer.
 * The same node when there is none.
 */
export function stepFrom(here: string, way: Way, edges: readonly MapEdge[], layout: MapLayout): string {
  if (way === 'right' || way === 'left') {
    const [from, to] = way === 'right' ? (['from', 'to'] as const) : (['to', 'from'] as const);
    const next = edges
      .filter((edge) => edge[from] === here && edge[to] !== here)
      .sort((a, b) => b.lit.calls - a.lit.calls || (a[to] < b[to] ? -1 : 1))[0];
    return next?.[to] ?? here;
  }
  const place = layout.plates.get(here);
  if (!place) return here;
  const column = [...layout.plates].filter(([, { x }]) => Math.abs(x - place.x) < 40).sort(([, a], [, b]) => a.y - b.y);
  const at = column.findIndex(([id]) => id === here);
  return column[at + (way === 'down' ? 1 : -1)]?.[0] ?? here;
}

/** Where walking begins: the entry that most comes in by. */
export function firstNode(
  nodes: readonly { readonly id: string; readonly lit: { readonly calls: number } }[],
  edges: readonly MapEdge[],
): string {
  const called = new Set(edges.map(({ to }) => to));
  const entries = nodes.filter(({ id }) => !called.has(id));
  return [...(entries.length > 0 ? entries : nodes)].sort((a, b) => b.lit.calls - a.lit.calls)[0]?.id ?? '';
}
