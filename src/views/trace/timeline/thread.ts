import type { TraceTimeline } from '../../../api/traces/timeline.ts';

/** What of the drawing is in sight: rows from inclusive to exclusive, and how time and rows become pixels. */
export interface Sight {
  readonly firstRow: number;
  readonly endRow: number;
  readonly x: (ns: number) => number;
  readonly y: (row: number) => number;
}

/**
 * The critical path as one line, as an SVG path: along each stretch in the row of its span, up or down to the next. Only what
 * touches the rows in sight is drawn; stretches of one row that meet (a folded subtree's) run through.
 */
export function threadPath(path: TraceTimeline['path'], rowOf: Int32Array, { firstRow, endRow, x, y }: Sight): string {
  let drawn = '';
  let penX = Number.NaN;
  let penY = Number.NaN;
  const line = (fromX: number, fromY: number, toX: number, toY: number) => {
    if (fromX !== penX || fromY !== penY) drawn += `M${fromX.toFixed(1)},${fromY.toFixed(1)}`;
    drawn += `L${toX.toFixed(1)},${toY.toFixed(1)}`;
    penX = toX;
    penY = toY;
  };
  for (let at = 0; at < path.span.length; at++) {
    const row = rowOf[path.span[at]];
    const from = x(path.startNs[at]);
    const to = x(path.endNs[at]);
    if (row >= firstRow && row < endRow) line(from, y(row), to, y(row));
    if (at + 1 === path.span.length) break;
    const next = rowOf[path.span[at + 1]];
    if (next !== row && Math.min(row, next) < endRow && Math.max(row, next) >= firstRow) line(to, y(row), to, y(next));
  }
  return drawn;
}

/** Positions in the path that belong to a span, by span. */
export function stretchesOf(path: TraceTimeline['path']): Map<number, number[]> {
  const bySpan = new Map<number, number[]>();
  for (const [at, span] of path.span.entries()) {
    const list = bySpan.get(span);
    if (list) list.push(at);
    else bySpan.set(span, [at]);
  }
  return bySpan;
}
