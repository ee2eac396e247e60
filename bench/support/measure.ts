/** Median of some runs, milliseconds. */
export async function medianOf(runs: number, work: () => unknown): Promise<number> {
  const [median] = await mediansByTurns(runs, [work]);
  return median;
}

export function report(what: string, ms: number, reference: string, referenceMs: number): void {
  const ratio = ms / referenceMs;
  process.stdout.write(
    `${what.padEnd(44)} ${ms.toFixed(0).padStart(6)} ms   ${ratio.toFixed(2).padStart(6)} × ${reference} (${referenceMs.toFixed(0)} ms)\n`,
  );
}

/** Median duration of each of some works, milliseconds, alternating: a machine that is slow for a while is slow for all of them. */
export async function mediansByTurns(runs: number, works: readonly (() => unknown)[]): Promise<number[]> {
  const durations: number[][] = works.map(() => []);
  for (let run = 0; run < runs; run++)
    for (const [at, work] of works.entries()) {
      const began = performance.now();
      await work();
      durations[at].push(performance.now() - began);
    }
  return durations.map((of) => of.sort((a, b) => a - b)[Math.floor(of.length / 2)]);
}
