/** What a number of a piece of evidence is. Durations are nanoseconds, times epoch milliseconds, rates a second, shares of one. */
export const UNITS = ['duration', 'count', 'share', 'rate', 'bytes', 'number', 'time', 'text'] as const;
export type Unit = (typeof UNITS)[number];

export type Cell = string | number | null;

/** Counts by sixteenths of an octave of nanoseconds, as the sketches count durations. */
export type Distribution = readonly (readonly [bucket: number, count: number])[];

export interface EvidenceColumn {
  readonly title: string;
  readonly unit: Unit;
}

interface Titled {
  readonly title: string;
}

/** Two distributions of durations, to be drawn back to back. */
export interface SpreadEvidence extends Titled {
  readonly form: 'spread';
  readonly before: Distribution;
  readonly lit: Distribution;
}

/** Values over time. */
export interface SeriesEvidence extends Titled {
  readonly form: 'series';
  readonly unit: Unit;
  readonly from: number;
  readonly stepMs: number;
  readonly lines: readonly {
    readonly name: string;
    /** `part`: stacked on the others; `limit`: what it must not exceed. */
    readonly role: 'lit' | 'before' | 'part' | 'limit';
    readonly values: readonly (number | null)[];
  }[];
  /** The stretch that was lit, where the picture shows more. */
  readonly lit: { readonly from: number; readonly to: number } | null;
}

export interface TableEvidence extends Titled {
  readonly form: 'table';
  readonly columns: readonly EvidenceColumn[];
  readonly rows: readonly (readonly Cell[])[];
  /** Rows that there were beyond these. */
  readonly leftOut: number;
}

/** Parts that add up to a whole, or that are compared by length. `before` where there is a reference. */
export interface PartsEvidence extends Titled {
  readonly form: 'parts';
  readonly unit: Unit;
  /** What the parts add up to; null when they add up to nothing. */
  readonly whole: number | null;
  readonly parts: readonly {
    readonly name: string;
    readonly note: string;
    /** A kind of time, which has its colour; empty for none. */
    readonly kind: string;
    readonly value: number;
    readonly before: number | null;
  }[];
}

/** Single numbers, each with its reference. */
export interface FiguresEvidence extends Titled {
  readonly form: 'figures';
  readonly figures: readonly {
    readonly name: string;
    readonly unit: Unit;
    readonly lit: number | null;
    readonly before: number | null;
    readonly note: string;
  }[];
}

export interface LinesEvidence extends Titled {
  readonly form: 'lines';
  readonly lines: readonly {
    readonly at: number;
    readonly severity: string;
    readonly service: string;
    readonly text: string;
    /** The one that is meant. */
    readonly marked: boolean;
  }[];
}

/** A stack, what computes last. */
export interface StackEvidence extends Titled {
  readonly form: 'stack';
  readonly frames: readonly { readonly text: string; readonly own: boolean }[];
  readonly note: string;
}

/** Things below things: who waits for whom, the nodes of a plan. */
export interface TreeEvidence extends Titled {
  readonly form: 'tree';
  readonly unit: Unit;
  readonly nodes: readonly {
    readonly depth: number;
    readonly name: string;
    readonly note: string;
    readonly value: number | null;
    /** Whether it is where the trouble starts. */
    readonly starts: boolean;
  }[];
}

/** Spans of a trace, depth first. */
export interface TimelineEvidence extends Titled {
  readonly form: 'timeline';
  readonly durationNs: number;
  readonly spans: readonly {
    readonly depth: number;
    readonly service: string;
    readonly name: string;
    readonly startNs: number;
    readonly durationNs: number;
    readonly failed: boolean;
    /** Its stretches of the critical path, from the trace's start. */
    readonly path: readonly (readonly [fromNs: number, toNs: number])[];
  }[];
  readonly leftOut: number;
}

/** A tree of calls with the share of the samples in each, lit and before. Parents come first. */
export interface FlameEvidence extends Titled {
  readonly form: 'flame';
  readonly unit: Unit;
  readonly calls: readonly {
    readonly name: string;
    readonly parent: number;
    readonly own: boolean;
    readonly lit: number;
    readonly before: number;
  }[];
}

/** A text as it was: a statement, a plan. */
export interface TextEvidence extends Titled {
  readonly form: 'text';
  readonly text: string;
}

export interface FactsEvidence extends Titled {
  readonly form: 'facts';
  readonly facts: readonly (readonly [name: string, value: string])[];
}

/** A frozen copy of something that a page showed, complete in itself: nothing else has to be read to draw it. */
export type Evidence =
  | SpreadEvidence
  | SeriesEvidence
  | TableEvidence
  | PartsEvidence
  | FiguresEvidence
  | LinesEvidence
  | StackEvidence
  | TreeEvidence
  | TimelineEvidence
  | FlameEvidence
  | TextEvidence
  | FactsEvidence;
