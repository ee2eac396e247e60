/** Of more a table would be too large. */
const MOST_IN_TABLE = 2 ** 22;

/** Numbers keys, whole and below a bound, from 0 in the order in which they come. */
export class KeyNumbers {
  count = 0;
  /** By key: 1 + its number. */
  readonly #table: Int32Array | undefined;
  readonly #map = new Map<number, number>();

  constructor(bound: number) {
    this.#table = bound <= MOST_IN_TABLE ? new Int32Array(bound) : undefined;
  }

  of(key: number): number {
    const known = this.#table ? this.#table[key] : (this.#map.get(key) ?? 0);
    if (known > 0) return known - 1;
    const number = this.count++;
    if (this.#table) this.#table[key] = number + 1;
    else this.#map.set(key, number + 1);
    return number;
  }
}
