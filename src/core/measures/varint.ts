/** Bytes written one after the other into memory that grows, and is used again. */
export class VarintWriter {
  bytes = new Uint8Array(256);
  length = 0;

  /** Begins anew. */
  clear(): void {
    this.length = 0;
  }

  byte(value: number): void {
    if (this.length === this.bytes.length) {
      const larger = new Uint8Array(2 * this.length);
      larger.set(this.bytes);
      this.bytes = larger;
    }
    this.bytes[this.length++] = value;
  }

  /** Adds a whole number of zero or more, low seven bits first, each byte but the last with its highest bit set. */
  varint(value: number): void {
    let rest = value;
    while (rest > 127) {
      // A remainder of large numbers costs more than a multiplication.
      const next = Math.floor(rest / 128);
      this.byte((rest - next * 128) | 128);
      rest = next;
    }
    this.byte(rest);
  }

  /** A copy of what is written. */
  written(): Uint8Array {
    return this.bytes.slice(0, this.length);
  }
}

/** Reads what `VarintWriter` wrote, one number after the other. */
export class VarintReader {
  at: number;
  readonly #bytes: Uint8Array;
  readonly #end: number;

  constructor(bytes: Uint8Array, start = 0, end = bytes.length) {
    this.#bytes = bytes;
    this.at = start;
    this.#end = end;
  }

  get isAtEnd(): boolean {
    return this.at >= this.#end;
  }

  /** @throws RangeError when the bytes end in the middle of the number */
  next(): number {
    let value = 0;
    for (let factor = 1; ; factor *= 128) {
      if (this.at >= this.#end) throw new RangeError('the bytes end in the middle of a number');
      const byte = this.#bytes[this.at++];
      value += (byte & 127) * factor;
      if (byte < 128) return value;
    }
  }
}
