import type { CallTree } from './callTree.ts';

/** Where the boxes of a tree lie on one side, as shares of the whole width. Indices are those of the tree's nodes. */
export interface FlameLayout {
  /** Left edge and width, 0 to 1. */
  readonly left: Float64Array;
  readonly width: Float64Array;
  readonly depth: Uint16Array;
  /** The first node after all that lie under this one: whoever passes over a node goes on there. */
  readonly end: Int32Array;
  readonly deepest: number;
}

/**
 * Lays a tree out: children side by side under their parent, each as wide as what it weighs. Cost O(nodes).
 *
 * @param side whose weights are meant
 */
export function flameLayout(
  { parent, lit, before }: Pick<CallTree, 'parent' | 'lit' | 'before'>,
  side: 'lit' | 'before',
): FlameLayout {
  const weights = side === 'lit' ? lit : before;
  const count = parent.length;
  const left = new Float64Array(count);
  const width = new Float64Array(count);
  const depth = new Uint16Array(count);
  const end = new Int32Array(count).fill(count);
  /** Where the next child of each node begins. */
  const next = new Float64Array(count);
  const whole = weights[0] || 1;
  let deepest = 0;
  for (let node = 0; node < count; node++) {
    const above = parent[node];
    width[node] = weights[node] / whole;
    left[node] = above < 0 ? 0 : next[above];
    next[node] = left[node];
    if (above >= 0) {
      next[above] += width[node];
      depth[node] = depth[above] + 1;
    }
    if (width[node] > 0 && depth[node] > deepest) deepest = depth[node];
  }
  // Nodes come parent first, subtree by subtree: the end of a node is where the next one begins that is no deeper.
  const open: number[] = [];
  for (let node = 0; node < count; node++) {
    while (open.length > 0 && depth[open[open.length - 1]] >= depth[node]) end[open.pop()!] = node;
    open.push(node);
  }
  return { left, width, depth, end, deepest };
}

/** The node at a place of a layout; -1 for none. @param at 0 to 1 of the whole width */
export function nodeAt({ left, width, depth, end }: FlameLayout, at: number, level: number): number {
  for (let node = 0; node < left.length; ) {
    if (at < left[node] || at >= left[node] + width[node]) node = end[node];
    else if (depth[node] === level) return node;
    else node++;
  }
  return -1;
}
