import type { Proof } from './rewrites/rule.ts';
import type { Verdict } from './verdict.ts';

export const TRIAL_KINDS = ['index', 'text', 'setting', 'statistics'] as const;
export type TrialKind = (typeof TRIAL_KINDS)[number];

/** What was found of the rows of an alternative, against those of the statement as it is. */
export type RowsFound =
  | { readonly are: 'equal'; readonly count: number }
  | { readonly are: 'other'; readonly count: number; readonly words: string }
  | { readonly are: 'unknown'; readonly words: string };

/** One way to run a statement, and what its runs showed. */
export interface Tried {
  /** "original", or a number. */
  readonly key: string;
  readonly kinds: readonly TrialKind[];
  readonly words: string;
  readonly why: readonly string[];
  readonly proof: Proof;
  readonly text: string;
  /** What has to be made first, as SQL. */
  readonly commands: readonly string[];
  readonly settings: Readonly<Record<string, string>>;
  /** The first run in milliseconds, apart from the others; cold when most of its blocks were read. */
  readonly first: { readonly ms: number; readonly isCold: boolean } | null;
  /** The others, in the order in which they were made. */
  readonly runs: readonly number[];
  readonly verdict: Verdict | null;
  readonly rows: RowsFound | null;
  /** Of the last run. */
  readonly blocks: { readonly hit: number; readonly read: number; readonly temporary: number } | null;
  /** Time without waiting for blocks, of the last run, where the server measures that. */
  readonly workMs: number | null;
  readonly cost: number;
  readonly planningMs: number | null;
  /** Of a run in which each step was timed; else as it was planned. EXPLAIN's JSON. */
  readonly plan: string;
  /** What its indexes take. */
  readonly index: { readonly bytes: number; readonly buildMs: number; readonly writeUs: number | null } | null;
}

/** Why something was not run to its end. */
export interface LeftOut {
  readonly because: 'same plan' | 'no cheaper' | 'other rows' | 'slower' | 'cannot be run' | 'not among the first';
  readonly words: string;
  readonly detail: string;
}

export interface ValueSet {
  readonly values: readonly string[];
  /** Rows that the statement gives with them; null before it was run. */
  readonly rows: number | null;
}

export type TrialPhase = 'planning' | 'building' | 'trying' | 'comparing' | 'done' | 'stopped' | 'failed';

/** All that is known of a trial, at any moment of it. */
export interface Trial {
  readonly id: string;
  readonly server: string;
  readonly statementId: string;
  readonly text: string;
  readonly begun: number;
  readonly ended: number | null;
  readonly phase: TrialPhase;
  /** Why it failed or stopped; else what it is doing. */
  readonly words: string;
  readonly progress: { readonly done: number; readonly of: number; readonly secondsLeft: number | null };
  readonly valueSets: readonly ValueSet[];
  readonly original: Tried | null;
  readonly alternatives: readonly Tried[];
  readonly leftOut: readonly LeftOut[];
  readonly how: {
    readonly address: string;
    readonly isCopy: boolean;
    readonly runs: number;
    readonly limitMs: number | null;
    readonly warnings: readonly string[];
    /** How many ways were looked at. */
    readonly looked: number;
  };
}

/** What a trial is to do. */
export interface TrialRequest {
  readonly server: string;
  readonly statementId: string;
  readonly text: string;
  readonly valueSets: readonly (readonly string[])[];
  readonly kinds: readonly TrialKind[];
  /** Runs of each beside the first. */
  readonly runs: number;
  /** Alternatives that are run at most. */
  readonly most: number;
  /** "original": three times the original; "best": the best so far and a fifth; else milliseconds. */
  readonly limit: 'original' | 'best' | number;
}
