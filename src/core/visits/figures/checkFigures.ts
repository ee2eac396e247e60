/** A run of a check, as far as its figures go. */
interface Run {
  readonly ok: boolean;
  readonly durationMs: number;
  readonly steps: readonly { readonly name: string; readonly ms: number; readonly ok: boolean }[];
}

/** What the runs of a check came to. */
export interface CheckFigures {
  readonly runs: number;
  readonly failed: number;
  /** Of runs that went well, milliseconds; NaN of none. */
  readonly p50: number;
  readonly p95: number;
  /** Each step: the median of runs in which it went well, and how often it failed. */
  readonly steps: readonly { readonly name: string; readonly p50: number; readonly failed: number }[];
}

export function checkFigures(runs: readonly Run[]): CheckFigures {
  const times = runs.filter(({ ok }) => ok).map(({ durationMs }) => durationMs);
  const steps = new Map<string, { times: number[]; failed: number }>();
  for (const { steps: own } of runs)
    for (const { name, ms, ok } of own) {
      const it = steps.get(name) ?? { times: [], failed: 0 };
      steps.set(name, it);
      if (ok) it.times.push(ms);
      else it.failed++;
    }
  return {
    runs: runs.length,
    failed: runs.filter(({ ok }) => !ok).length,
    p50: quantile(times, 0.5),
    p95: quantile(times, 0.95),
    steps: [...steps].map(([name, it]) => ({ name, p50: quantile(it.times, 0.5), failed: it.failed })),
  };
}

function quantile(values: readonly number[], q: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.max(0, Math.ceil(q * sorted.length) - 1)] ?? Number.NaN;
}
