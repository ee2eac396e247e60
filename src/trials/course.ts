import type { Tried } from '../core/planbench/trial.ts';
import type { Attempt } from './attempt.ts';

/** What is gathered of an attempt while it is tried. */
export interface Course {
  readonly attempt: Attempt;
  tried: Tried;
  isOut: boolean;
  /** Runs and comparisons that are done. */
  steps: number;
}

/** @param at its place: the statement as it is stands at 0 */
export function courseOf(attempt: Attempt, at: number): Course {
  const tried: Tried = {
    key: at === 0 ? 'original' : String(at),
    kinds: attempt.kinds,
    words: attempt.words,
    why: attempt.why,
    proof: attempt.proof,
    text: attempt.text,
    commands: [...attempt.indexes, ...attempt.statistics],
    settings: attempt.settings,
    first: null,
    runs: [],
    verdict: null,
    rows: null,
    blocks: null,
    workMs: null,
    cost: attempt.cost,
    planningMs: null,
    plan: withoutOwnNames(attempt.plan),
    index: null,
  };
  return { attempt, tried, isOut: false, steps: 0 };
}

/** Indexes that are made for a trial have no names that mean anything to others. */
export function withoutOwnNames(plan: string): string {
  return plan.replaceAll(/"(<new>[^"]*|trial_(index|look)_\d+)"/g, '"a new index"');
}
