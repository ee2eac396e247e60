import type { TraceTimeline } from '../../../api/traces/timeline.ts';

/** What is usual for an operation. */
export interface Usual {
  readonly p50Ns: number | null;
  readonly calls: number;
  /** The share of its like that took less time than a duration, 0 to 1. */
  readonly shareBelow: (ns: number) => number;
}

/** A column beside the names: a heading and a text a span. */
export interface Column {
  readonly key: string;
  readonly title: string;
  readonly textOf: (span: number) => string;
}

/** All that rows draw from, the same for each of them. Spans are positions. */
export interface RowView {
  readonly trace: TraceTimeline;
  readonly x: (ns: number) => number;
  readonly width: number;
  /** Stretches of the critical path, as positions there, by span. */
  readonly stretches: ReadonlyMap<number, readonly number[]>;
  readonly failures: ReadonlyMap<number, string>;
  readonly usualOf: (span: number) => Usual | undefined;
  /** Spans whose time is in the lit line of the ledger; undefined when none is lit. */
  readonly litSpans: ReadonlySet<number> | undefined;
  /** Spans that fit what is searched; undefined when nothing is. */
  readonly matches: ReadonlySet<number> | undefined;
  /** How long a span went on after its caller had given it up. */
  readonly tails: ReadonlyMap<number, number>;
  /** Few words beside a name: "try 2 of 3", "cancelled". */
  readonly notes: ReadonlyMap<number, readonly string[]>;
  /** Positions in the trace's events, by span. */
  readonly events: ReadonlyMap<number, readonly number[]>;
  readonly columns: readonly Column[];
}

/** Room that a duration takes beside its bar, pixels. */
const LABEL = 74;

export interface Bar {
  readonly left: number;
  readonly right: number;
  /** Whether none of it is in sight. */
  readonly out: boolean;
}

export function clampTo(x: number, width: number): number {
  return Math.min(Math.max(x, 0), width);
}

/** A stretch of time as pixels, cut to what is in sight. */
export function barAt({ x, width }: Pick<RowView, 'x' | 'width'>, start: number, end: number): Bar {
  return { left: clampTo(x(start), width), right: clampTo(x(end), width), out: x(end) < 0 || x(start) > width };
}

/** Where the duration of a bar stands: behind it; where there is no room, before it; where neither, on it, at its end. */
export function labelAt({ left, right }: Bar, width: number): { left?: number; right?: number; inside: boolean } {
  if (right + LABEL < width + 14) return { left: right + 8, inside: false };
  return left > LABEL ? { right: width - left + 22, inside: false } : { left: right - LABEL, inside: true };
}

/** What is told of spans in few words, and how long those that were given up went on. */
export function notesOf({ attempts, cancelled, gaveUp, queues, waits }: TraceTimeline): Pick<RowView, 'notes' | 'tails'> {
  const notes = new Map<number, string[]>();
  const note = (span: number, text: string) => notes.set(span, [...(notes.get(span) ?? []), text]);
  for (const { tries } of attempts) for (const [at, span] of tries.entries()) note(span, `try ${at + 1} of ${tries.length}`);
  for (const span of cancelled) note(span, 'cancelled');
  for (const { caller, callee } of gaveUp) {
    note(caller, 'gave up');
    note(callee, 'given up');
  }
  for (const { consumer } of queues) note(consumer, 'from a queue');
  for (const { span, lock, io } of waits) if (lock + io > 0) note(span, lock >= io ? 'lock' : 'disk');
  return { notes, tails: new Map(gaveUp.map(({ callee, wentOnNs }) => [callee, wentOnNs])) };
}

/** Positions of the events of each span. */
export function eventsBySpan({ events }: TraceTimeline): Map<number, number[]> {
  const bySpan = new Map<number, number[]>();
  for (const [at, span] of events.span.entries()) {
    const list = bySpan.get(span);
    if (list) list.push(at);
    else bySpan.set(span, [at]);
  }
  return bySpan;
}
