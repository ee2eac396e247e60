import { CODES, LOWEST, quantilesOf, readEncoded } from './sketch.ts';

/**
 * Sums of sketches, one after the other in the same table: where many are added up only to be asked for their quantiles, a count for
 * every bucket that there may be is several times as fast as a map for each sum.
 */
export class SketchTable {
  readonly #counts = new Float64Array(CODES);
  #zero = 0;
  #count = 0;
  /** Buckets below and above which there is nothing. */
  #lowest = Number.POSITIVE_INFINITY;
  #highest = Number.NEGATIVE_INFINITY;
  readonly #take = (bucket: number, times: number) => {
    this.#counts[bucket - LOWEST] += times;
    this.#count += times;
    if (bucket < this.#lowest) this.#lowest = bucket;
    if (bucket > this.#highest) this.#highest = bucket;
  };

  /** Adds an encoded sketch. @throws RangeError when the bytes end in the middle */
  add(bytes: Uint8Array, start = 0, end = bytes.length): void {
    const zero = readEncoded(bytes, start, end, this.#take);
    this.#zero += zero;
    this.#count += zero;
  }

  /** As `quantiles` of a sketch. */
  quantiles(shares: readonly number[]): (number | null)[] {
    return quantilesOf(this.#zero, this.#count, this.#lowest, this.#highest, (bucket) => this.#counts[bucket - LOWEST], shares);
  }

  /** Begins anew. */
  clear(): void {
    if (this.#highest >= this.#lowest) this.#counts.fill(0, this.#lowest - LOWEST, this.#highest - LOWEST + 1);
    this.#zero = 0;
    this.#count = 0;
    this.#lowest = Number.POSITIVE_INFINITY;
    this.#highest = Number.NEGATIVE_INFINITY;
  }
}
