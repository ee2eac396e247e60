import type { Window } from './comparison.ts';

/** What was found is good for so long; spans of a window that has just ended may still come. */
const KEPT_MS = 600_000;
const FRESH_MS = 20_000;
const STILL_COMING_MS = 300_000;

/**
 * What tells questions about two windows apart, and for how long their answers are good: the moments that the windows mean stand for the words
 * that they were asked for with.
 *
 * @param others what else was asked
 */
export function rememberWindows(
  windows: { readonly lit: Window; readonly before: Window },
  others: unknown,
): { key: string; ms: number } {
  const isOver = Number(windows.lit.to / 1_000_000n) < Date.now() - STILL_COMING_MS;
  const key = JSON.stringify([others, windows], (_, value) => (typeof value === 'bigint' ? String(value) : value));
  return { key, ms: isOver ? KEPT_MS : FRESH_MS };
}
