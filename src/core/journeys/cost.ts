/** What an amount came to against what was to be expected, with a range that holds 95 of 100 times. */
export interface Cost {
  readonly actual: number;
  readonly expected: number;
  readonly difference: number;
  readonly least: number;
  readonly most: number;
}

const Z = 1.96;

/**
 * Compares the sum of an amount over some minutes with what the minutes of a reference let expect: their mean each. The range takes in that
 * minutes differ and that the reference is only so long (the prediction interval of a sum, minutes taken as independent).
 *
 * @param lit the amount by the minute
 * @param reference likewise, of a time that is held to be usual
 * @returns undefined when the reference has fewer than five minutes
 */
export function costOf(lit: readonly number[], reference: readonly number[]): Cost | undefined {
  const count = reference.length;
  if (count < 5 || lit.length === 0) return undefined;
  const mean = reference.reduce((sum, it) => sum + it, 0) / count;
  const variance = reference.reduce((sum, it) => sum + (it - mean) ** 2, 0) / (count - 1);
  const actual = lit.reduce((sum, it) => sum + it, 0);
  const expected = mean * lit.length;
  const margin = Z * Math.sqrt(variance * lit.length * (1 + lit.length / count));
  const difference = actual - expected;
  return { actual, expected, difference, least: difference - margin, most: difference + margin };
}
