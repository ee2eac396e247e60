import type { TraceId } from '../../trace/span.ts';

/** A node starts trouble when it has this much of it. */
export const STARTS_SHARE = 0.2;

/** Requests that are named as examples, at most. */
export const MOST_SHOWN = 5;
/** A service passes trouble on when it does so with this part of it. */
const NOTABLE_PART = 0.1;

/** A node at which failures or waiting start. */
export interface Origin {
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  /** Of all that failed, or of all that was waited longer; 0 to 1. */
  readonly share: number;
  /** Requests that failed for it, or nanoseconds that were waited longer on it in all. */
  readonly amount: number;
  /** Whether it starts the trouble; else it only has a small part of it, or no more than before. */
  readonly starts: boolean;
  /** Traces that show it, those that show it best first. */
  readonly traces: readonly TraceId[];
  /** Services that pass on a notable part of it. */
  readonly through: readonly string[];
}

/** The names that have a notable part of a whole. */
export function notable(parts: ReadonlyMap<string, number>, whole: number): string[] {
  return [...parts].filter(([, part]) => part >= NOTABLE_PART * whole).map(([name]) => name);
}

export function addTo<Key>(sums: Map<Key, number>, key: Key, value: number): void {
  sums.set(key, (sums.get(key) ?? 0) + value);
}
