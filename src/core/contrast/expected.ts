import type { ContrastBlock } from './requests/contrastSource.ts';
import { type Expected, logOf } from './requests/facetSums.ts';

interface OfEntry {
  nA: number;
  nB: number;
  sumA: number;
  sumB: number;
  logB: number;
}

/** Nothing is expected: outcomes are held against each other as they are. */
export const AS_THEY_ARE: Expected = { outcome: () => 0, log: () => 0 };

/** Requests and outcomes by entry, from the first time that the requests are gone through. */
export class EntryMeans {
  readonly #entries = new Map<string, OfEntry>();
  /** Requests that were gone through. */
  requests = 0;

  add({ count, isA, outcome, weight, entry, entries }: ContrastBlock): void {
    this.requests += count;
    const of = entries.map((name) => {
      const known = this.#entries.get(name) ?? { nA: 0, nB: 0, sumA: 0, sumB: 0, logB: 0 };
      this.#entries.set(name, known);
      return known;
    });
    for (let at = 0; at < count; at++) {
      const it = of[entry[at]];
      if (isA[at] === 1) {
        it.nA += weight[at];
        it.sumA += weight[at] * outcome[at];
      } else {
        it.nB += weight[at];
        it.sumB += weight[at] * outcome[at];
        it.logB += weight[at] * logOf(outcome[at]);
      }
    }
  }

  get totals(): { nA: number; nB: number; sumA: number; sumB: number } {
    const all = { nA: 0, nB: 0, sumA: 0, sumB: 0 };
    for (const it of this.#entries.values()) {
      all.nA += it.nA;
      all.nB += it.nB;
      all.sumA += it.sumA;
      all.sumB += it.sumB;
    }
    return all;
  }

  /** The means of B by entry; of an entry that B lacks, that of all B. */
  expected(isFailures: boolean): Expected {
    const { nB, sumB } = this.totals;
    const logB = [...this.#entries.values()].reduce((sum, it) => sum + it.logB, 0);
    const means = new Map<string, { outcome: number; log: number }>();
    for (const [name, it] of this.#entries)
      means.set(name, it.nB > 0 ? { outcome: it.sumB / it.nB, log: it.logB / it.nB } : { outcome: sumB / nB, log: logB / nB });
    return {
      outcome: (entry) => means.get(entry)?.outcome ?? 0,
      log: isFailures ? undefined : (entry) => means.get(entry)?.log ?? 0,
    };
  }

  /** The part of the difference that comes of other entries being asked for: Σ (a − b) · mean of B, over entries. */
  mixOfEntries(): number {
    const { nA, nB } = this.totals;
    const expected = this.expected(true);
    let sum = 0;
    for (const [name, it] of this.#entries) sum += (it.nA / nA - it.nB / nB) * expected.outcome(name);
    return sum;
  }
}
