import type { TraceTimeline } from '../../api/traces/timeline.ts';

type Spans = TraceTimeline['spans'];

/** The rows that are seen: positions of spans, in order, without those under a folded one. */
export function seenRows(spans: Spans, folded: ReadonlySet<number>): number[] {
  const rows: number[] = [];
  const count = spans.id.length;
  const ends = subtreeEnds(spans);
  for (let at = 0; at < count; at = folded.has(at) ? ends[at] : at + 1) rows.push(at);
  return rows;
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

/** Per span: how many ancestors it has. */
export function depths({ parent }: Spans): Int32Array {
  const depth = new Int32Array(parent.length);
  for (let at = 0; at < parent.length; at++) if (parent[at] >= 0) depth[at] = depth[parent[at]] + 1;
  return depth;
}

/** Per span: the row it stands in, or the row of the folded ancestor that hides it. */
export function rowOfSpan({ parent }: Spans, rows: readonly number[]): Int32Array {
  const row = new Int32Array(parent.length).fill(-1);
  for (const [at, span] of rows.entries()) row[span] = at;
  for (let at = 0; at < parent.length; at++) if (row[at] < 0) row[at] = row[parent[at]];
  return row;
}
