import { formatCount } from '../core/measures/amount.ts';
import type { LeftOut, TrialKind } from '../core/planbench/trial.ts';
import type { Attempt } from './attempt.ts';

/** Places that are kept for each kind: the planner's guesses, by which they are ordered, may be what is wrong. */
const KEPT: readonly { readonly of: (kinds: readonly TrialKind[]) => boolean; readonly places: number }[] = [
  { of: (kinds) => kinds.length === 1 && kinds[0] === 'index', places: 4 },
  { of: (kinds) => kinds.length === 1 && kinds[0] === 'text', places: 5 },
  { of: (kinds) => kinds.includes('index') && kinds.includes('text'), places: 2 },
  { of: (kinds) => kinds.length === 1 && kinds[0] === 'setting', places: 3 },
  { of: (kinds) => kinds.length === 1 && kinds[0] === 'statistics', places: 2 },
];

/** Which of the attempts are run, at most so many. @param attempts cheaper ones first */
export function chooseAttempts(attempts: readonly Attempt[], most: number): { chosen: Attempt[]; leftOut: LeftOut[] } {
  const chosen = new Set<Attempt>();
  const share = Math.min(1, most / KEPT.reduce((sum, it) => sum + it.places, 0));
  for (const { of, places } of KEPT)
    for (const it of attempts.filter(({ kinds }) => of(kinds)).slice(0, Math.max(1, Math.round(places * share))))
      if (chosen.size < most) chosen.add(it);
  for (const it of attempts) if (chosen.size < most) chosen.add(it);
  return {
    chosen: attempts.filter((it) => chosen.has(it)),
    leftOut: attempts
      .filter((it) => !chosen.has(it))
      .map((it) => ({
        because: 'not among the first',
        words: it.words,
        detail: `guessed cost ${formatCount(Math.round(it.cost))}`,
      })),
  };
}
