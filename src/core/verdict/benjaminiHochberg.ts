/**
 * Which of several findings hold when at most a share `rate` of those that are said to hold may be by chance (Benjamini and Hochberg, 1995).
 *
 * @param chances p-value of each @returns the largest p-value that holds; 0 when none does
 */
export function boundOfFindings(chances: readonly number[], rate: number): number {
  const ascending = [...chances].sort((a, b) => a - b);
  let bound = 0;
  for (const [at, chance] of ascending.entries()) if (chance <= (rate * (at + 1)) / ascending.length) bound = chance;
  return bound;
}
