import type { HotkeyItem } from '@mantine/hooks';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { foldOfRow, type Opened } from './outline.ts';

interface Keyboard {
  readonly trace: TraceTimeline;
  /** Spans, and folds below zero. */
  readonly rows: readonly number[];
  readonly rowOfChosen: number;
  readonly ends: Int32Array;
  readonly opened: Opened;
  readonly chosen: number;
  readonly failures: ReadonlyMap<number, string>;
  /** Spans that fit what is searched. */
  readonly matches: ReadonlySet<number> | undefined;
  /** Chooses a row and brings it into sight. */
  readonly show: (row: number) => void;
  readonly fold: (span: number, closed: boolean) => void;
  readonly toggleFold: (fold: number) => void;
  readonly search: () => void;
  readonly zoomTo: (row: number | undefined) => void;
  readonly leave: () => void;
}

/** What the keys do in a timeline. */
export function keysOf(keyboard: Keyboard): HotkeyItem[] {
  const { trace, rows, rowOfChosen, ends, opened, chosen, failures, matches, show, fold, toggleFold, zoomTo } = keyboard;
  const { parent } = trace.spans;
  const isSpan = chosen >= 0;
  /** The first span of what is chosen. */
  const span = isSpan ? chosen : trace.folds[foldOfRow(chosen)].members[0];
  const down = (by: number) => show(rows[Math.min(Math.max(rowOfChosen + by, 0), rows.length - 1)]);
  return [
    ['j', () => down(1)],
    ['k', () => down(-1)],
    ['ArrowDown', () => down(1)],
    ['ArrowUp', () => down(-1)],
    ['PageDown', () => down(15)],
    ['PageUp', () => down(-15)],
    ['Home', () => show(rows[0])],
    ['End', () => show(rows[rows.length - 1])],
    ['ArrowRight', openRow],
    ['ArrowLeft', closeRow],
    ['.', () => alongPath(1)],
    [',', () => alongPath(-1)],
    ['f', () => nextOf(failures.keys())],
    ['s', () => keyboard.search()],
    ['n', () => matches && nextOf(matches)],
    ['shift+n', () => matches && nextOf(matches, true)],
    ['z', () => zoomTo(chosen)],
    ['0', () => zoomTo(undefined)],
    ['Escape', () => keyboard.leave()],
  ];

  function openRow(): void {
    if (!isSpan) {
      if (opened.open.has(foldOfRow(chosen))) down(1);
      else toggleFold(foldOfRow(chosen));
    } else if (opened.closed.has(chosen)) fold(chosen, false);
    else if (ends[chosen] > chosen + 1) down(1);
  }

  function closeRow(): void {
    if (!isSpan && opened.open.has(foldOfRow(chosen))) toggleFold(foldOfRow(chosen));
    else if (isSpan && ends[chosen] > chosen + 1 && !opened.closed.has(chosen)) fold(chosen, true);
    else if (parent[span] >= 0) show(parent[span]);
  }

  /** To the next stretch of the path that is another span's; from a span off the path, to the path at its start. */
  function alongPath(by: 1 | -1): void {
    const { span: spans, startNs } = trace.path;
    let at = spans[lastStep.at] === span && lastStep.path === trace.path ? lastStep.at : spans.indexOf(span);
    if (at < 0) {
      at = startNs.findLastIndex((ns) => ns <= trace.spans.startNs[span]);
      if (at >= 0) step(at);
      return;
    }
    const next = at + by;
    if (next >= 0 && next < spans.length) step(next);
  }

  function step(at: number): void {
    lastStep.path = trace.path;
    lastStep.at = at;
    show(trace.path.span[at]);
  }

  function nextOf(spans: Iterable<number>, back = false): void {
    const sorted = [...spans].sort((a, b) => a - b);
    if (sorted.length === 0) return;
    const next = back ? sorted.findLast((it) => it < span) : sorted.find((it) => it > span);
    show(next ?? (back ? sorted[sorted.length - 1] : sorted[0]));
  }
}

/** Where on the path the last step led: a span may be on it several times. */
const lastStep: { path: TraceTimeline['path'] | undefined; at: number } = { path: undefined, at: 0 };
