import type { HotkeyItem } from '@mantine/hooks';
import type { TraceTimeline } from '../../api/traces/timeline.ts';

interface Keyboard {
  readonly trace: TraceTimeline;
  readonly rows: readonly number[];
  readonly rowOf: Int32Array;
  readonly ends: Int32Array;
  readonly folded: ReadonlySet<number>;
  readonly chosen: number;
  readonly failures: ReadonlyMap<number, string>;
  /** Chooses a span and brings it into sight. */
  readonly show: (span: number) => void;
  readonly fold: (span: number, closed: boolean) => void;
  readonly zoomTo: (span: number | undefined) => void;
  readonly leave: () => void;
}

/** What the keys do in a timeline. */
export function keysOf({
  trace,
  rows,
  rowOf,
  ends,
  folded,
  chosen,
  failures,
  show,
  fold,
  zoomTo,
  leave,
}: Keyboard): HotkeyItem[] {
  const { parent } = trace.spans;
  const down = (by: number) => show(rows[Math.min(Math.max(rowOf[chosen] + by, 0), rows.length - 1)]);
  const hasChildren = ends[chosen] > chosen + 1;
  return [
    ['j', () => down(1)],
    ['k', () => down(-1)],
    ['ArrowDown', () => down(1)],
    ['ArrowUp', () => down(-1)],
    ['PageDown', () => down(15)],
    ['PageUp', () => down(-15)],
    ['Home', () => show(rows[0])],
    ['End', () => show(rows[rows.length - 1])],
    ['ArrowRight', () => (folded.has(chosen) ? fold(chosen, false) : hasChildren && show(chosen + 1))],
    ['ArrowLeft', () => (hasChildren && !folded.has(chosen) ? fold(chosen, true) : parent[chosen] >= 0 && show(parent[chosen]))],
    ['.', () => alongPath(1)],
    [',', () => alongPath(-1)],
    ['f', nextFailure],
    ['z', () => zoomTo(chosen)],
    ['0', () => zoomTo(undefined)],
    ['Escape', leave],
  ];

  /** To the next stretch of the path that is another span's; from a span off the path, to the path at its start. */
  function alongPath(by: 1 | -1): void {
    const { span, startNs } = trace.path;
    let at = span[lastStep.at] === chosen && lastStep.path === trace.path ? lastStep.at : span.indexOf(chosen);
    if (at < 0) {
      at = startNs.findLastIndex((ns) => ns <= trace.spans.startNs[chosen]);
      if (at >= 0) step(at);
      return;
    }
    const next = at + by;
    if (next >= 0 && next < span.length) step(next);
  }

  function step(at: number): void {
    lastStep.path = trace.path;
    lastStep.at = at;
    show(trace.path.span[at]);
  }

  function nextFailure(): void {
    const failing = [...failures.keys()].sort((a, b) => a - b);
    if (failing.length > 0) show(failing.find((span) => span > chosen) ?? failing[0]);
  }
}

/** Where on the path the last step led: a span may be on it several times. */
const lastStep: { path: TraceTimeline['path'] | undefined; at: number } = { path: undefined, at: 0 };
