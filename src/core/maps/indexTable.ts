/** Words of a key. */
const WORDS = 4;
/** Drawn anew in each process, so that nobody can choose keys that all fall into one slot. */
const SEED = (Math.random() * 2 ** 32) | 1;

/**
 * Gives keys of four 32-bit words their places, 0, 1, 2 and so on in the order in which they first come. For ids of 16 bytes, by the
 * thousand, without an object for each.
 */
export class IndexTable {
  size = 0;
  readonly #words: Uint32Array;
  /** Place + 1 of the key that lies in a slot; 0 where it is free. */
  readonly #slots: Int32Array;

  /** @param most keys that may come */
  constructor(most: number) {
    this.#words = new Uint32Array(most * WORDS);
    this.#slots = new Int32Array(2 ** Math.ceil(Math.log2(2 * most + 2)));
  }

  /** The place of a key, a new one when it has none yet. */
  index(a: number, b: number, c: number, d: number): number {
    const slot = this.#slotOf(a, b, c, d);
    const known = this.#slots[slot];
    if (known > 0) return known - 1;
    const at = this.size * WORDS;
    this.#words[at] = a;
    this.#words[at + 1] = b;
    this.#words[at + 2] = c;
    this.#words[at + 3] = d;
    this.#slots[slot] = ++this.size;
    return this.size - 1;
  }

  /** The place of a key; -1 when it has none. */
  find(a: number, b: number, c: number, d: number): number {
    return this.#slots[this.#slotOf(a, b, c, d)] - 1;
  }

  /** The slot of a key, or the free one that it would have. */
  #slotOf(a: number, b: number, c: number, d: number): number {
    const mask = this.#slots.length - 1;
    let hash = Math.imul(a ^ SEED, 0x9e3779b1) ^ Math.imul(b ^ (a >>> 15), 0x85ebca6b);
    hash = Math.imul(hash ^ (hash >>> 16) ^ c, 0xc2b2ae35);
    hash = Math.imul(hash ^ (hash >>> 13) ^ d, 0x27d4eb2f);
    let slot = (hash ^ (hash >>> 15)) & mask;
    for (;;) {
      const known = this.#slots[slot];
      if (known === 0) return slot;
      const at = (known - 1) * WORDS;
      const words = this.#words;
      if (words[at] === a >>> 0 && words[at + 1] === b >>> 0 && words[at + 2] === c >>> 0 && words[at + 3] === d >>> 0)
        return slot;
      slot = (slot + 1) & mask;
    }
  }
}
