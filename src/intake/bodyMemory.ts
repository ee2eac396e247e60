/** Bytes of a piece of memory, enough for most bodies, and how many of them are kept for the next. */
const PIECE = 512 * 1024;
const MOST_PIECES = 6;

/**
 * Memory for the bodies of requests, used again and again: memory that is taken anew for each makes the collector of garbage run for
 * nothing else.
 */
export class BodyMemory {
  readonly #free: Buffer[] = [];

  /** Puts parts together. Return it when it is no longer used. */
  take(parts: readonly Uint8Array[]): Buffer {
    let length = 0;
    for (const part of parts) length += part.length;
    const piece = length <= PIECE ? (this.#free.pop() ?? Buffer.allocUnsafeSlow(PIECE)) : Buffer.allocUnsafeSlow(length);
    let at = 0;
    for (const part of parts) {
      piece.set(part, at);
      at += part.length;
    }
    return piece.subarray(0, length);
  }

  /** @param body what `take` gave */
  give(body: Buffer): void {
    if (body.buffer.byteLength === PIECE && this.#free.length < MOST_PIECES) this.#free.push(Buffer.from(body.buffer));
  }
}
