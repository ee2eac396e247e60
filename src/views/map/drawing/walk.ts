import type { MapEdge } from '../../../api/map/map.ts';
import type { MapLayout } from '../../../core/maps/mapLayout.ts';

/** Plates of a layer stand nearly in line. */
const SAME_LAYER = 40;

export type Way = 'left' | 'right' | 'up' | 'down';

/**
 * The node that an arrow key leads to. Where calls lead to the right: right along the busiest call, left to the busiest caller, up and down to
 * the next in the same layer; where they lead down, down, up, left and right do. The same node when there is none.
 */
export function stepFrom(here: string, way: Way, edges: readonly MapEdge[], layout: MapLayout): string {
  const isRight = layout.direction === 'right';
  const [onward, back, next] = isRight ? (['right', 'left', 'down'] as const) : (['down', 'up', 'right'] as const);
  if (way === onward || way === back) {
    const [from, to] = way === onward ? (['from', 'to'] as const) : (['to', 'from'] as const);
    const busiest = edges
      .filter((edge) => edge[from] === here && edge[to] !== here)
      .sort((a, b) => b.lit.calls - a.lit.calls || (a[to] < b[to] ? -1 : 1))[0];
    return busiest?.[to] ?? here;
  }
  const place = layout.plates.get(here);
  if (!place) return here;
  const [along, across] = isRight ? (['x', 'y'] as const) : (['y', 'x'] as const);
  const layer = [...layout.plates]
    .filter(([, it]) => Math.abs(it[along] - place[along]) < SAME_LAYER)
    .sort(([, a], [, b]) => a[across] - b[across]);
  const at = layer.findIndex(([id]) => id === here);
  return layer[at + (way === next ? 1 : -1)]?.[0] ?? here;
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
