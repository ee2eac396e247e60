import { upperTail } from './betaBinomial.ts';

/** A chance below which a count is held to be more than before. */
const BEYOND_CHANCE = 0.001;

/**
 * Whether marked calls are more than those before let expect, beyond chance: an exact beta-binomial test with what is uncertain of the share before.
 *
 * @param marked of `calls`; both may be estimates, which are rounded
 */
export function isMore(marked: number, calls: number, markedBefore: number, callsBefore: number): boolean {
  const k = Math.round(marked);
  const n = Math.round(calls);
  const share = (markedBefore + 0.5) / (callsBefore + 1);
  return k >= 3 && upperTail(Math.min(k, n), n, Math.min(share, 0.999), 1 + n / (callsBefore + 1)) <= BEYOND_CHANCE;
}
