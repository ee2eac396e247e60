import { AS_THEY_ARE, EntryMeans } from './expected.ts';
import { differenceOf, explainedOf, type Totals } from './explained.ts';
import type { Kind } from './judge.ts';
import { type ContrastBlock, type ContrastSource, membersOf } from './requests/contrastSource.ts';
import { type Expected, heldAgainst } from './requests/facetSums.ts';
import { type RequestSet, setKey } from './requests/requestSet.ts';

/** What one set takes off the difference, after those before it in the stack were taken off. */
export interface Layer {
  readonly set: RequestSet;
  /** In the outcome's unit; of A chosen by its outcome, a share of A. */
  readonly amount: number;
  readonly behaviour: number;
  readonly mix: number;
  /** What is left after it. The amounts and what is left last sum to the whole. */
  readonly left: number;
  /** Requests taken off. */
  readonly requests: { readonly a: number; readonly b: number };
}

export interface Stack {
  /** What there is to explain. */
  readonly whole: number;
  readonly layers: readonly Layer[];
}

/** Requests without those of some sets. */
export function without(source: ContrastSource, sets: readonly RequestSet[]): ContrastSource {
  if (sets.length === 0) return source;
  return {
    scan: (visit) =>
      source.scan((block) => {
        const left = block.isA.map(() => 1);
        for (const set of sets) for (const [at, is] of membersOf(block, set).entries()) if (is === 1) left[at] = 0;
        visit(only(block, left));
      }),
  };
}

/** The requests of one set alone. */
export function within(source: ContrastSource, set: RequestSet): ContrastSource {
  return { scan: (visit) => source.scan((block) => visit(only(block, membersOf(block, set)))) };
}

function only(block: ContrastBlock, left: Uint8Array): ContrastBlock {
  const kept = Uint32Array.from(left.keys()).filter((at) => left[at] === 1);
  const ids = new Uint8Array(kept.length * 16);
  for (const [to, at] of kept.entries()) ids.set(block.ids.subarray(at * 16, at * 16 + 16), to * 16);
  return {
    ...block,
    count: kept.length,
    rows: kept.map((at) => block.rows[at]),
    isA: Uint8Array.from(kept, (at) => block.isA[at]),
    outcome: Float64Array.from(kept, (at) => block.outcome[at]),
    weight: Float64Array.from(kept, (at) => block.weight[at]),
    group: Uint8Array.from(kept, (at) => block.group[at]),
    minute: Int32Array.from(kept, (at) => block.minute[at]),
    entry: kept.map((at) => block.entry[at]),
    ids,
    user: (at) => block.user(kept[at]),
  };
}

/** What each request is held against, from all requests of a source: the same however much is taken off. */
export async function expectedOf(source: ContrastSource, kind: Kind): Promise<Expected> {
  if (kind.byOutcome) return AS_THEY_ARE;
  const entries = new EntryMeans();
  await source.scan((block) => entries.add(block));
  return entries.expected(kind.outcome === 'failures');
}

/** What the layers of some stacks take off, in the order in which they are taken off; what is left after all of them and the layers sum to the whole. */
export async function stacksOf(
  source: ContrastSource,
  kind: Kind,
  stacks: readonly (readonly RequestSet[])[],
  expected: Expected,
): Promise<Stack[]> {
  const sums = stacks.map((sets) => sets.map(() => new Sums()));
  const rest = stacks.map(() => new Sums());
  const distinct = new Map(stacks.flat().map((set) => [setKey(set), set]));
  await source.scan((block) => {
    const members = new Map([...distinct].map(([key, set]) => [key, membersOf(block, set)]));
    const { outcome } = heldAgainst(block, expected);
    for (const [stack, sets] of stacks.entries()) {
      const of = sets.map((set) => members.get(setKey(set))!);
      for (let at = 0; at < block.count; at++) {
        const layer = of.findIndex((it) => it[at] === 1);
        (layer < 0 ? rest[stack] : sums[stack][layer]).add(block.isA[at] === 1, block.weight[at], outcome[at]);
      }
    }
  });
  return stacks.map((sets, stack) => {
    const all = [...sums[stack], rest[stack]];
    const left = (from: number) => all.slice(from).reduce((sum, it) => sum.plus(it), new Sums());
    const first = left(0);
    const remainder = (of: Totals) => (kind.byOutcome ? shareOfA(of) / shareOfA(first) : differenceOf(of));
    return {
      whole: remainder(first),
      layers: sets.map((set, at): Layer => {
        const [before, after] = [left(at), left(at + 1)];
        const { behaviour, mix } = kind.byOutcome ? { behaviour: 0, mix: 0 } : explainedOf(before, sums[stack][at]);
        return {
          set,
          amount: remainder(before) - remainder(after),
          behaviour,
          mix,
          left: remainder(after),
          requests: { a: sums[stack][at].nA, b: sums[stack][at].nB },
        };
      }),
    };
  });
}

function shareOfA({ nA, nB }: Totals): number {
  return nA + nB > 0 ? nA / (nA + nB) : 0;
}

class Sums implements Totals {
  nA = 0;
  nB = 0;
  sumA = 0;
  sumB = 0;

  add(isA: boolean, weight: number, outcome: number): void {
    if (isA) {
      this.nA += weight;
      this.sumA += weight * outcome;
    } else {
      this.nB += weight;
      this.sumB += weight * outcome;
    }
  }

  plus(other: Totals): Sums {
    const sum = new Sums();
    sum.nA = this.nA + other.nA;
    sum.nB = this.nB + other.nB;
    sum.sumA = this.sumA + other.sumA;
    sum.sumB = this.sumB + other.sumB;
    return sum;
  }
}
