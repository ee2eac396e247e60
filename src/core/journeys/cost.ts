/** Requests that may carry an amount, as one entry or all of a kind took them. */
export interface Attempts {
  readonly attempts: number;
  /** Amounts of those that went well: their sum and the sum of their squares. */
  readonly sum: number;
  readonly squares: number;
}

/** What an amount came to against what was to be expected, with a range that holds 95 of 100 times. */
export interface Cost {
  readonly actual: number;
  readonly expected: number;
  readonly difference: number;
  readonly least: number;
  readonly most: number;
}

const Z = 1.96;
/** Attempts that are needed to say what one usually brings. */
const ENOUGH = 20;

/**
 * Compares the sum of an amount with what as many attempts usually bring: attempts × usual share that goes well × usual amount, entry by
 * entry. More or fewer people than usual are thus no gain and no loss. The range takes in that amounts differ and that the reference is
 * only so long (the prediction interval of a sum of independent draws).
 *
 * @param lit by entry @param reference likewise, of a time that is held to be usual; entries that brought nothing in it are left out
 * @returns undefined when the reference has too few attempts
 */
export function costOf<Entry>(lit: ReadonlyMap<Entry, Attempts>, reference: ReadonlyMap<Entry, Attempts>): Cost | undefined {
  let actual = 0;
  let expected = 0;
  let variance = 0;
  let known = 0;
  for (const it of lit.values()) actual += it.sum;
  for (const [entry, usual] of reference) {
    if (usual.attempts < ENOUGH || usual.sum === 0) continue;
    known++;
    const attempts = lit.get(entry)?.attempts ?? 0;
    const mean = usual.sum / usual.attempts;
    const spread = Math.max(0, usual.squares / usual.attempts - mean ** 2);
    expected += attempts * mean;
    variance += spread * attempts * (1 + attempts / usual.attempts);
  }
  if (known === 0) return undefined;
  const margin = Z * Math.sqrt(variance);
  const difference = actual - expected;
  return { actual, expected, difference, least: difference - margin, most: difference + margin };
}
