import type { TraceTimeline } from '../../../api/traces/timeline.ts';

type Spans = TraceTimeline['spans'];

/** What of a tree is open. Positions of spans and of folds. */
export interface Opened {
  /** Spans whose descendants are hidden. */
  readonly closed: ReadonlySet<number>;
  /** Folds whose members are shown. */
  readonly open: ReadonlySet<number>;
  /** Whether only the spans are shown with which a service is entered. */
  readonly byService: boolean;
}

/** A tree as rows. A row is a span's position, or `foldRow(fold)` for like siblings in one. */
export interface Outline {
  readonly rows: readonly number[];
  /** Per row. */
  readonly depth: readonly number[];
  /** Per span: the row it stands in, or the row of what hides it. */
  readonly rowOf: Int32Array;
}

/** The row of a fold; negative, which distinguishes it from spans. */
export function foldRow(fold: number): number {
  return -1 - fold;
}

/** The fold of a row; −1 for a span's. */
export function foldOfRow(row: number): number {
  return row < 0 ? -1 - row : -1;
}

/** The tree as it is seen. Spans come depth first. O(n). */
export function outline(spans: Spans, folds: TraceTimeline['folds'], { closed, open, byService }: Opened): Outline {
  const { parent, service } = spans;
  const count = parent.length;
  const ends = subtreeEnds(spans);
  const foldOf = byService ? new Int32Array(count).fill(-1) : foldsOf(folds, count);
  const rows: number[] = [];
  const depth: number[] = [];
  const rowOf = new Int32Array(count);
  const rowOfFold = new Map<number, number>();
  const push = (row: number, deep: number) => {
    depth.push(deep);
    return rows.push(row) - 1;
  };
  for (let at = 0; at < count; ) {
    const above = parent[at];
    const deep = above < 0 ? 0 : depth[rowOf[above]] + 1;
    if (byService && above >= 0 && service[at] === service[above]) {
      rowOf[at] = rowOf[above];
      at++;
      continue;
    }
    const fold = foldOf[at];
    if (fold >= 0) {
      const known = rowOfFold.get(fold);
      const row = known ?? push(foldRow(fold), deep);
      rowOfFold.set(fold, row);
      if (!open.has(fold)) {
        rowOf.fill(row, at, ends[at]);
        at = ends[at];
        continue;
      }
    }
    const row = push(at, deep);
    rowOf[at] = row;
    if (closed.has(at)) {
      rowOf.fill(row, at, ends[at]);
      at = ends[at];
    } else at++;
  }
  return { rows, depth, rowOf };
}

/** Per span: the fold it is a member of, or −1. */
export function foldsOf(folds: TraceTimeline['folds'], count: number): Int32Array {
  const foldOf = new Int32Array(count).fill(-1);
  for (const [fold, { members }] of folds.entries()) for (const member of members) foldOf[member] = fold;
  return foldOf;
}

/** Per span: the position behind its last descendant. Spans come depth first, so a subtree has no gap. */
export function subtreeEnds({ parent }: Spans): Int32Array {
  const ends = new Int32Array(parent.length);
  for (let at = parent.length - 1; at >= 0; at--) {
    ends[at] = Math.max(ends[at], at + 1);
    if (parent[at] >= 0) ends[parent[at]] = Math.max(ends[parent[at]], ends[at]);
  }
  return ends;
}

/** What must be opened for a span to have a row of its own. */
export function openedFor(span: number, { parent, service }: Spans, foldOf: Int32Array, opened: Opened): Opened {
  const closed = new Set(opened.closed);
  const open = new Set(opened.open);
  for (let at = span; at >= 0; at = parent[at]) {
    if (at !== span) closed.delete(at);
    if (foldOf[at] >= 0) open.add(foldOf[at]);
  }
  const hidden = parent[span] >= 0 && service[span] === service[parent[span]];
  return { closed, open, byService: opened.byService && !hidden };
}
