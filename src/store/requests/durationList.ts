/** Durations of which exact percentiles are asked for; 8 bytes each. */
export class DurationList {
  #values = new Float64Array(1024);
  #count = 0;
  #isSorted = true;

  get count(): number {
    return this.#count;
  }

  add(value: number): void {
    if (this.#count === this.#values.length) {
      const larger = new Float64Array(2 * this.#count);
      larger.set(this.#values);
      this.#values = larger;
    }
    this.#values[this.#count++] = value;
    this.#isSorted = false;
  }

  /** The least value that so large a share does not exceed; null when there is none. @param shares 0 to 1 */
  percentiles(shares: readonly number[]): (number | null)[] {
    const sorted = this.#sorted();
    return shares.map((share) => (this.#count === 0 ? null : sorted[Math.max(0, Math.ceil(share * this.#count) - 1)]));
  }

  largest(): number | null {
    return this.#count === 0 ? null : this.#sorted()[this.#count - 1];
  }

  #sorted(): Float64Array {
    const part = this.#values.subarray(0, this.#count);
    if (!this.#isSorted) part.sort();
    this.#isSorted = true;
    return part;
  }
}
