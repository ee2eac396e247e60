import type { Kind } from './judge.ts';
import type { Members, RequestTable } from './requests/requestTable.ts';

/** Counts by third of an octave of the duration in nanoseconds, of A and of B. */
export type Spread = readonly (readonly [bin: number, a: number, b: number])[];

/** What is shown of the requests of a set beside what they explain. */
export interface Detail {
  /** Means of the outcome as it was: with the set on both sides, without it on both. null where there is none. */
  readonly means: {
    readonly withA: number | null;
    readonly withB: number | null;
    readonly withoutA: number | null;
    readonly withoutB: number | null;
  };
  /** Durations; empty where the outcome is whether requests fail. */
  readonly withSet: Spread;
  readonly withoutSet: Spread;
  /** When the first of A's began, in minutes since 1970-01-01; null without one. */
  readonly firstMinute: number | null;
  /** Of A; 0 where it is not known who asked. */
  readonly users: number;
  /** Of A, those whose outcome is furthest from what was expected. */
  readonly examples: readonly string[];
}

const MOST_EXAMPLES = 3;
/** Thirds of an octave that 64 bits of nanoseconds have. */
const MOST_BINS = 192;

export function detailOf(table: RequestTable, members: Members, kind: Kind): Detail {
  const inside = new Uint8Array(table.count);
  table.eachOf(members, (at) => {
    inside[at] = 1;
  });
  const sums = [0, 0, 0, 0];
  const weights = [0, 0, 0, 0];
  /** By cell. */
  const spreads = Array.from({ length: 4 }, () => new Float64Array(MOST_BINS));
  const bins = kind.outcome === 'duration' ? table.bins : undefined;
  const users = new Set<number>();
  const examples: { at: number; less: number }[] = [];
  let firstMinute: number | null = null;
  for (let at = 0; at < table.count; at++) {
    const [isA, weight, outcome] = [table.isA[at] === 1, table.weight[at], table.outcome[at]];
    const cell = (inside[at] === 1 ? 0 : 2) + (isA ? 0 : 1);
    sums[cell] += weight * outcome;
    weights[cell] += weight;
    if (bins) spreads[cell][bins[at]] += weight;
    if (inside[at] === 0 || !isA) continue;
    if (firstMinute === null || table.minute[at] < firstMinute) firstMinute = table.minute[at];
    if (table.userAt(at) >= 0) users.add(table.userAt(at));
    const less = table.less[at];
    if (examples.length < MOST_EXAMPLES || less > examples[examples.length - 1].less) {
      examples.push({ at, less });
      examples.sort((a, b) => b.less - a.less);
      if (examples.length > MOST_EXAMPLES) examples.pop();
    }
  }
  const mean = (cell: number) => (weights[cell] > 0 ? sums[cell] / weights[cell] : null);
  const list = (a: Float64Array, b: Float64Array) =>
    [...a].flatMap((weight, bin) => (weight + b[bin] > 0 ? [[bin, weight, b[bin]] as const] : []));
  return {
    means: { withA: mean(0), withB: mean(1), withoutA: mean(2), withoutB: mean(3) },
    withSet: list(spreads[0], spreads[1]),
    withoutSet: list(spreads[2], spreads[3]),
    firstMinute,
    users: users.size,
    examples: examples.map(({ at }) => table.idAt(at)),
  };
}
