/** Adds a whole number of zero or more, low seven bits first, each byte but the last with its highest bit set. */
export function putVarint(into: number[], value: number): void {
  let rest = value;
  for (; rest > 127; rest = Math.floor(rest / 128)) into.push((rest % 128) | 128);
  into.push(rest);
}

/** Reads what `putVarint` wrote, one number after the other. */
export class VarintReader {
  at = 0;
  readonly #bytes: Uint8Array;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
  }

  get isAtEnd(): boolean {
    return this.at >= this.#bytes.length;
  }

  /** @throws RangeError when the bytes end in the middle of the number */
  next(): number {
    let value = 0;
    for (let factor = 1; ; factor *= 128) {
      if (this.at >= this.#bytes.length) throw new RangeError('the bytes end in the middle of a number');
      const byte = this.#bytes[this.at++];
      value += (byte & 127) * factor;
      if (byte < 128) return value;
    }
  }
}
