import type { Verdict } from '../planbench/verdict.ts';

/** One way to write a function, and what was measured of it. */
export interface TriedCode {
  readonly file: string;
  /** What is changed, in a few words. */
  readonly what: string;
  readonly source: string;
  /** Milliseconds of a run over all inputs, without the first, in the order in which they were made. */
  readonly runs: readonly number[];
  /** Median bytes that a run allocates; a lower bound where garbage was collected within. */
  readonly bytes: number;
  readonly bytesAtLeast: boolean;
  /** Milliseconds of garbage collection within all runs. */
  readonly gcMs: number;
  /** Inputs for which it gives the same as the original, of how many. */
  readonly same: number;
  readonly of: number;
  /** What went wrong; empty for nothing. */
  readonly failed: string;
  /** Median milliseconds by size of the input, where inputs have a size. */
  readonly bySize: readonly (readonly [size: number, ms: number])[];
  readonly slope: { readonly slope: number; readonly interval: readonly [number, number] } | null;
  /** Against the original; null for it, for one that failed and for one whose output differs. */
  readonly verdict: Verdict | null;
}

/** A function and alternatives to it, run by turns. */
export interface CodeTrial {
  readonly id: string;
  /** What it is of, as `findingKey` names it; empty for a run of files alone. */
  readonly subject: string;
  /** What the files are, where they are not the very code that ran. */
  readonly note: string;
  /** Epoch milliseconds. */
  readonly begun: number;
  readonly runtime: string;
  readonly inputs: number;
  readonly rounds: number;
  /** What the size of an input counts; empty where inputs have none. */
  readonly sizeName: string;
  /** The original first. */
  readonly ways: readonly TriedCode[];
}

/** The ways that are faster beyond the noise, with the same outputs; the fastest first. */
export function betterCode({ ways }: CodeTrial): TriedCode[] {
  return ways.filter(({ verdict }) => verdict?.is === 'better').sort((a, b) => middle(a.runs) - middle(b.runs));
}

export function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted.length === 0 ? Number.NaN : sorted[sorted.length >> 1];
}
