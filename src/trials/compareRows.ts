import { withReturning, withSortKeys } from '../core/planbench/sortKeys.ts';
import type { LeftOut, RowsFound, Trial, TrialRequest } from '../core/planbench/trial.ts';
import { writeStatement } from '../formats/database/statementTree.ts';
import type { Bench } from './bench.ts';
import { type Course, withoutOwnNames } from './course.ts';
import { type RowPrint, rowDifference, rowsOf } from './rowsOf.ts';
import { type Safety, singleStatement } from './safety.ts';

/** Why something of a trial was not done. */
export const TOO_LONG = 'the trial had taken too long before';

interface Comparison {
  readonly courses: readonly Course[];
  readonly original: Course;
  /** The way whose rows are those of the statement: itself, or one with the same text where it does not end; undefined when none ended. */
  readonly reference: Course | undefined;
  readonly request: TrialRequest;
  readonly safety: Pick<Safety, 'changesBeside'>;
  readonly isStopped: () => boolean;
  /** Whether the trial has taken so long that no more rows are compared. */
  readonly isLate: () => boolean;
  readonly leave: (it: Course, because: LeftOut['because'], detail: string) => void;
  /** Milliseconds that a run may take. */
  readonly longestOf: (it: Course) => number;
  readonly tell: (change: Partial<Trial>) => void;
  readonly onDone: (it: Course) => void;
}

/** Compares the rows of each way with those of the original for every set of values, and times the steps of its plan. */
export async function compareRows(
  bench: Bench,
  { courses, original, reference, request, safety, isStopped, isLate, leave, longestOf, tell, onDone }: Comparison,
): Promise<void> {
  const sets = request.valueSets.length === 0 ? [[]] : request.valueSets;
  const print = (it: Course, values: readonly string[]): Promise<RowPrint> => {
    const tree = singleStatement(it.attempt.text);
    const asked = 'SelectStmt' in tree ? withSortKeys(tree) : { tree: withReturning(tree), keys: [], added: 0 };
    return bench.within(it.attempt, longestOf(it), (session) => rowsOf(session, writeStatement(asked.tree), values, asked));
  };
  const originals: RowPrint[] = [];
  let unknown = safety.changesBeside ? 'rows that are changed in a WITH are not compared' : '';
  if (!reference) unknown = 'the statement itself does not end, so that its rows are not known';
  for (const values of sets) {
    if (!reference) break;
    if (isLate()) {
      unknown = TOO_LONG;
      break;
    }
    try {
      const [once, again] = [await print(reference, values), await print(reference, values)];
      if (rowDifference(once, again)) unknown = 'its own rows differ from run to run';
      originals.push(once);
    } catch (error) {
      if (isStopped()) throw error;
      unknown = (error as Error).message;
      break;
    }
  }
  tell({ valueSets: sets.map((values, at) => ({ values, rows: originals[at]?.count ?? null })) });
  for (const it of courses) {
    if (it.isOut || isStopped()) continue;
    let rows: RowsFound = unknown === '' ? { are: 'equal', count: originals[0].count } : { are: 'unknown', words: unknown };
    if (it !== original && it !== reference && rows.are === 'equal')
      for (const [at, values] of sets.entries()) {
        try {
          if (isLate()) throw new Error(TOO_LONG);
          const own = await print(it, values);
          const words = rowDifference(originals[at], own);
          if (words) {
            rows = { are: 'other', count: own.count, words };
            break;
          }
        } catch (error) {
          if (isStopped()) throw error;
          rows = { are: 'unknown', words: (error as Error).message };
          break;
        }
      }
    if (rows.are === 'other') {
      leave(it, 'other rows', rows.words);
      continue;
    }
    it.tried = { ...it.tried, rows };
    if (isLate() || (it === original && it !== reference)) {
      onDone(it);
      continue;
    }
    const timed = await bench.run(it.attempt, request.valueSets[0] ?? [], longestOf(it), true).catch((error: unknown) => {
      if (isStopped()) throw error;
      return undefined;
    });
    if (timed) it.tried = { ...it.tried, plan: withoutOwnNames(timed.plan) };
    onDone(it);
  }
}
