/** Whole values up to here have a bin each. */
const EXACT = 8_192;
/** Above it, bins of an octave. */
const BINS = 64;
const SIZE = EXACT + BINS * 19;

/** Counts of whole values from 0: quantiles are exact up to 8 192, and off by less than 1.1 % above. */
export class ValueCounts {
  readonly #counts = new Uint32Array(SIZE);
  #total = 0;
  #sum = 0;

  get total(): number {
    return this.#total;
  }

  get mean(): number {
    return this.#total > 0 ? this.#sum / this.#total : Number.NaN;
  }

  get sum(): number {
    return this.#sum;
  }

  add(value: number): void {
    this.#counts[binOf(value)]++;
    this.#total++;
    this.#sum += value;
  }

  /** Adds what another has counted. */
  merge(other: ValueCounts): void {
    for (let bin = 0; bin < SIZE; bin++) this.#counts[bin] += other.#counts[bin];
    this.#total += other.#total;
    this.#sum += other.#sum;
  }

  /** The least value that at least a share q of all do not exceed; NaN of none. */
  quantile(q: number): number {
    if (this.#total === 0) return Number.NaN;
    let rest = Math.max(1, Math.ceil(q * this.#total));
    for (let bin = 0; bin < SIZE; bin++) {
      rest -= this.#counts[bin];
      if (rest <= 0) return valueIn(bin);
    }
    return valueIn(SIZE - 1);
  }

  /** How many do not exceed a value. */
  upTo(value: number): number {
    let found = 0;
    for (let bin = 0, last = binOf(value); bin <= last; bin++) found += this.#counts[bin];
    return found;
  }

  /** Shares by bins between edges: below the first, between each two, from the last on. */
  between(edges: readonly number[]): number[] {
    const found = new Array<number>(edges.length + 1).fill(0);
    let at = 0;
    for (let bin = 0; bin < SIZE; bin++) {
      const count = this.#counts[bin];
      if (count === 0) continue;
      while (at < edges.length && valueIn(bin) >= edges[at]) at++;
      found[at] += count;
    }
    return found;
  }
}

function binOf(value: number): number {
  if (!(value > 0)) return 0;
  // Nearly all come this way: whole and small.
  const whole = (value + 0.5) | 0;
  if (value < EXACT - 1) return whole;
  return Math.min(SIZE - 1, Math.max(EXACT - 1, EXACT + Math.floor(Math.log2(Math.round(value) / EXACT) * BINS)));
}

function valueIn(bin: number): number {
  return bin < EXACT ? bin : Math.round(EXACT * 2 ** ((bin - EXACT + 0.5) / BINS));
}
