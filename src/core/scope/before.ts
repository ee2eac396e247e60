import { parseIso, shortIso } from '../time/iso.ts';

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
      return lastCalm(lit.from, length, troubled, oldest) ?? back(length);
  }
}

/** The latest stretch of a length that ends by `end` and touches no trouble; undefined when there is none since `oldest`. */
export function lastCalm(end: number, length: number, troubled: readonly Stretch[], oldest: number): Stretch | undefined {
  const latestFirst = [...troubled].sort((a, b) => b.to - a.to);
  let to = end;
  for (const it of latestFirst) {
    if (it.to <= to - length) continue;
    if (it.from - MARGIN < to) to = Math.min(to, it.from - MARGIN);
  }
  // Pulled back, the stretch may have come upon trouble that it did not touch before.
  const from = to - length;
  if (from < oldest) return undefined;
  const meets = latestFirst.some((it) => it.to > from && it.from - MARGIN < to);
  return meets ? lastCalm(to, length, troubled, oldest) : { from, to };
}
