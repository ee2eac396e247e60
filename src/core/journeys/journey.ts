/** What people come to do: the entries by which it comes in, and what was promised of it. */
export interface Journey {
  readonly name: string;
  /** Names of entry operations, whichever service they are of. */
  readonly entries: readonly string[];
  readonly objective?: Objective;
}

/** What share of requests must go well, and within which time. */
export interface Objective {
  /** Milliseconds; a request that takes longer counts as bad. Absent when only failures count. */
  readonly withinMs?: number;
  /** 0 to 1. */
  readonly share: number;
}

/** An entry that no journey names is a journey of its own. @returns in the order of `entries` as they come */
export function journeysOf(named: readonly Journey[], entries: readonly string[]): Journey[] {
  const taken = new Set(named.flatMap((it) => it.entries));
  const own = entries.filter((it) => !taken.has(it)).map((it) => ({ name: it, entries: [it] }));
  return [...named, ...own];
}

/** How far an objective was kept. */
export interface ObjectiveState {
  readonly good: number;
  readonly all: number;
  /** 0 to 1; null when there was no request. */
  readonly share: number | null;
  /** What is left of the bad requests that are allowed: 1 when none was, 0 and below when all are spent. */
  readonly left: number | null;
}

export function objectiveState(good: number, all: number, share: number): ObjectiveState {
  if (all === 0) return { good, all, share: null, left: null };
  const allowed = (1 - share) * all;
  return { good, all, share: good / all, left: allowed === 0 ? (good === all ? 1 : 0) : 1 - (all - good) / allowed };
}

/** How many times faster than allowed bad requests come: at 1 the allowance lasts just as long as it is meant to. */
export function burnRate(good: number, all: number, share: number): number | null {
  if (all === 0 || share >= 1) return null;
  return (all - good) / all / (1 - share);
}
