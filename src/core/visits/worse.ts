/** What the visits of an application came to in a stretch of time, in few figures. */
export interface AtAGlance {
  readonly visits: number;
  readonly struggling: number;
  /** Visits that crashed, however often each. */
  readonly crashed: number;
  /** Until pages were ready, milliseconds; null of none. */
  readonly p75: number | null;
  readonly loads: number;
}

/** Fewer loads, or visits, do not say what is usual. */
export const LEAST_LOADS = 20;
/** A change that is less than both is none. */
const NOTABLE = { share: 0.15, ms: 60 };

/** What takes longer than this is worth a word, milliseconds. */
export function notablyLonger(beforeMs: number): number {
  return Math.max(beforeMs * (1 + NOTABLE.share), beforeMs + NOTABLE.ms);
}

/** Whether what takes longer is worth a word. */
export function isLonger(litMs: number | null, beforeMs: number | null): boolean {
  return litMs !== null && beforeMs !== null && litMs > notablyLonger(beforeMs);
}

/** The share of visits beyond which more crash, or struggle, than before. */
export const tooMany = {
  crash: (before: Pick<AtAGlance, 'crashed' | 'visits'>) => 2 * shareOf(before.crashed, before.visits) + 0.01,
  struggle: (before: Pick<AtAGlance, 'struggling' | 'visits'>) => 2 * shareOf(before.struggling, before.visits) + 0.02,
} as const;

export function moreCrash(lit: Pick<AtAGlance, 'crashed' | 'visits'>, before: Pick<AtAGlance, 'crashed' | 'visits'>): boolean {
  return shareOf(lit.crashed, lit.visits) > tooMany.crash(before);
}

export function moreStruggle(
  lit: Pick<AtAGlance, 'struggling' | 'visits'>,
  before: Pick<AtAGlance, 'struggling' | 'visits'>,
): boolean {
  return shareOf(lit.struggling, lit.visits) > tooMany.struggle(before);
}

function shareOf(part: number, all: number): number {
  return all > 0 ? part / all : 0;
}
