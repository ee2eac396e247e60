import type { VerdictAnswer } from '../../api/verdict/verdicts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockRange } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';

/** What is read of the calls on either side. */
interface Figures {
  readonly calls: number;
  readonly failures: number;
  readonly p50Ns: number | null;
  readonly p95Ns: number | null;
}

/** A state as it is read aloud. */
export const STATE_WORDS = {
  calm: 'as usual',
  perhaps: 'perhaps worse',
  strained: 'slower than usual',
  failing: 'fails more than usual',
  unknown: 'too little to say',
} as const;

/**
 * What changed, before → lit: "p95 0.61 → 7.4 s"; of the worst stretch where that is a part of the window: "failing 0.4 → 24 %, 15:35 to
 * 16:23". Without a reference, the lit value alone.
 */
export function changeWords(
  { changed, basis, worst }: Pick<VerdictAnswer, 'changed' | 'basis' | 'worst'>,
  lit: Figures,
  before: Figures,
  zone: string,
  now: number,
): string {
  const measure = changed ?? 'p95';
  const told = (value: number | null) =>
    measure === 'failures' ? formatShare(value ?? 0) : value === null ? '–' : formatDuration(value);
  const name = measure === 'failures' ? 'failing' : measure;
  if (worst) return `${name} ${told(worst.usual)} → ${told(worst.shifted)}, ${clockRange(worst.from, worst.to, zone, now)}`;
  const of = (it: Figures) => (measure === 'failures' ? shareOf(it) : measure === 'p50' ? it.p50Ns : it.p95Ns);
  return basis === 'before' || (basis === 'none' && before.calls > 0 && measure !== 'failures')
    ? `${name} ${told(of(before))} → ${told(of(lit))}`
    : `${name} ${told(of(lit))}`;
}

/** What a row that is not surely worse is: "as usual", "perhaps slower; about 90 requests more would tell". */
export function stateWords({ state, changed, basis, moreCalls }: VerdictAnswer, hasCallsBefore: boolean): string {
  switch (state) {
    case 'perhaps': {
      const what = changed === 'failures' ? 'perhaps more fail' : 'perhaps slower';
      if (moreCalls === null || moreCalls > MANY) return what;
      return `${what}; about ${formatCount(roundUp(moreCalls))} requests more would tell`;
    }
    case 'unknown':
      return hasCallsBefore ? 'too few to say' : NO_REFERENCE;
    case 'calm':
      return basis === 'within' ? `even throughout the window; ${noReferenceWords(hasCallsBefore)}` : 'as usual';
    default:
      return basis === 'before'
        ? ''
        : basis === 'within'
          ? `against the rest of the window; ${noReferenceWords(hasCallsBefore)}`
          : noReferenceWords(hasCallsBefore);
  }
}

const NO_REFERENCE = 'no reference yet';

/** Why something was held against nothing but itself: a window before may be there, and have too few calls. */
export function noReferenceWords(hasCallsBefore: boolean): string {
  return hasCallsBefore ? 'too little before to compare' : NO_REFERENCE;
}

/** So many are not waited for. */
const MANY = 100_000;

/** To one digit: it is an estimate. */
function roundUp(count: number): number {
  const unit = 10 ** Math.max(0, Math.floor(Math.log10(count)));
  return Math.ceil(count / unit) * unit;
}

export function shareOf({ calls, failures }: Pick<Figures, 'calls' | 'failures'>): number {
  return calls === 0 ? 0 : failures / calls;
}
