/** One frame of a stack, as far as its source tells. */
export interface Frame {
  readonly name: string;
  readonly file: string;
  /** From 1; 0 when not set. */
  readonly line: number;
}

/** A sample of one profile: its stack, the innermost frame first, and what it weighs. */
export interface StackSample {
  readonly frames: readonly Frame[];
  readonly value: number;
  /** Hex ids of the span it was taken in. */
  readonly span?: { readonly traceId: string; readonly spanId: string };
}
