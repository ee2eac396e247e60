import { parseIso, shortIso } from '../time/iso.ts';
import { minutesWithin } from './wholeMinutes.ts';

/**
 * The window that the lit one is held against: the last calm time before it, the time just before it, the same time a day or a
 * week earlier, or one's own choice (epoch milliseconds).
 */
export type BeforeWindow =
  | { readonly type: 'calm' | 'just' | 'yesterday' | 'week' }
  | { readonly type: 'fixed'; readonly from: number; readonly to: number };

export const BEFORE_WORDS: Readonly<Record<BeforeWindow['type'], string>> = {
  calm: 'last calm',
  just: 'just before',
  yesterday: 'yesterday',
  week: 'last week',
  fixed: 'own choice',
};

/** Those that need no times of their own, in the order in which a key goes through them. */
export const BEFORE_CHOICES = ['calm', 'just', 'yesterday', 'week'] as const;

interface Stretch {
  readonly from: number;
  readonly to: number;
}

const DAY = 86_400_000;
/** Calm ends this long before something begins: the beginning of trouble is known to a few minutes only. */
const MARGIN = 5 * 60_000;

/** As in a URL: calm, just, yesterday, week, or FROM/TO as ISO 8601 writes an interval. */
export function writeBefore(before: BeforeWindow): string {
  return before.type === 'fixed' ? `${shortIso(before.from)}/${shortIso(before.to)}` : before.type;
}

export function parseBefore(text: string): BeforeWindow | undefined {
  const named = BEFORE_CHOICES.find((it) => it === text);
  if (named) return { type: named };
  const [from, to, ...more] = text.split('/').map(parseIso);
  if (from === undefined || to === undefined || more.length > 0 || to <= from || from < 0n) return undefined;
  return { type: 'fixed', from: Number(from / 1_000_000n), to: Number(to / 1_000_000n) };
}

/** A short window is held against a longer one, so that something can be said of it: up to so many times as long, and up to two hours. */
const TIMES_AS_LONG = 20;
const LONG = 120 * 60_000;
/** A calm stretch shorter than this, or than this share of what is wanted, is no reference. */
const SHORTEST = 10 * 60_000;
const LEAST_SHARE = 0.1;
/** A third of what is wanted will do when there is no more. */
const SHORTER = 3;
/** What lies further back is of other hours. */
const OTHER_HOURS = 4 * 3_600_000;

/**
 * Where the before window lies.
 *
 * @param troubled stretches in which something was wrong, epoch milliseconds, in any order
 * @param oldest where what is kept begins
 */
export function beforeAt(
  before: BeforeWindow,
  lit: Stretch,
  troubled: readonly Stretch[] = [],
  oldest = Number.NEGATIVE_INFINITY,
): Stretch {
  const length = lit.to - lit.from;
  const back = (by: number) => ({ from: lit.from - by, to: lit.to - by });
  switch (before.type) {
    case 'fixed':
      return { from: before.from, to: before.to };
    case 'yesterday':
      return back(DAY);
    case 'week':
      return back(7 * DAY);
    case 'just':
      return back(length);
    case 'calm':
      return calmOf(lastCalm(lit, troubled, oldest)) ?? back(length);
  }
}

/** Of a calm stretch the whole minutes: what lies beside it is trouble. */
function calmOf(stretch: Stretch | undefined): Stretch | undefined {
  return stretch && minutesWithin(stretch);
}

/**
 * The latest calm stretch before a window that is long enough to hold the window against it; else the longest before it, or within it, of
 * those that are there; undefined when there is none.
 *
 * @param oldest where what is kept begins
 */
export function lastCalm(lit: Stretch, troubled: readonly Stretch[], oldest: number): Stretch | undefined {
  const length = lit.to - lit.from;
  const wanted = Math.max(length, Math.min(TIMES_AS_LONG * length, LONG));
  const least = Math.max(SHORTEST, LEAST_SHARE * length);
  const gaps = calmGaps(oldest, lit.from, troubled);
  const lastOf = (target: number) => {
    const latest = gaps.findLast((it) => it.to - it.from >= target);
    return latest && { from: latest.to - target, to: latest.to };
  };
  const latest = lastOf(wanted) ?? lastOf(Math.max(length, wanted / SHORTER));
  if (latest && lit.from - latest.to <= OTHER_HOURS) return latest;
  // Other hours have another load: the same hours of the day before tell more.
  const middle = (lit.from + lit.to) / 2 - DAY;
  const wide = Math.max(length, Math.min(wanted, DAY));
  const dayBefore = { from: middle - wide / 2, to: Math.min(lit.from, middle + wide / 2) };
  if (gaps.some((it) => it.from <= dayBefore.from && it.to >= dayBefore.to)) return dayBefore;
  if (latest) return latest;
  const longest = longestOf(gaps);
  if (longest && longest.to - longest.from >= least) return longest;
  const within = longestOf(calmGaps(lit.from, lit.to, troubled));
  return within && within.to - within.from >= least && within.to - within.from < length ? within : undefined;
}

/** The stretches from one moment to another that touch no trouble, the earliest first. */
function calmGaps(from: number, to: number, troubled: readonly Stretch[]): Stretch[] {
  const gaps: Stretch[] = [];
  let at = from;
  for (const it of [...troubled].sort((a, b) => a.from - b.from)) {
    if (it.to <= at) continue;
    const end = Math.min(to, it.from - MARGIN);
    if (end > at) gaps.push({ from: at, to: end });
    at = Math.max(at, it.to);
    if (at >= to) return gaps;
  }
  gaps.push({ from: at, to });
  return gaps.filter((it) => it.to > it.from);
}

function longestOf(stretches: readonly Stretch[]): Stretch | undefined {
  return stretches.reduce<Stretch | undefined>(
    (most, it) => (most && most.to - most.from >= it.to - it.from ? most : it),
    undefined,
  );
}
