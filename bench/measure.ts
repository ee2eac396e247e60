/** Median of some runs, milliseconds. */
export async function medianOf(runs: number, work: () => unknown): Promise<number> {
  const times: number[] = [];
  for (let run = 0; run < runs; run++) {
    const began = performance.now();
    await work();
    times.push(performance.now() - began);
  }
  return times.sort((a, b) => a - b)[runs >> 1];
}

export function report(what: string, ms: number, reference: string, referenceMs: number): void {
  const ratio = ms / referenceMs;
  process.stdout.write(
    `${what.padEnd(44)} ${ms.toFixed(0).padStart(6)} ms   ${ratio.toFixed(2).padStart(6)} × ${reference} (${referenceMs.toFixed(0)} ms)\n`,
  );
}
