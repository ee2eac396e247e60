import type { OtlpEncoding } from '../formats/otlp/wire/answers.ts';
import type { IntakeSettings } from './settings.ts';

/** How much memory a request takes while it is worked on, in bytes for each byte of its unpacked body. */
const FACTOR: Readonly<Record<OtlpEncoding, number>> = { 'application/x-protobuf': 4, 'application/json': 10 };

/** What the door holds at this moment. */
export interface Held {
  readonly requests: number;
  readonly bytes: number;
  readonly workBytes: number;
  readonly waiting: number;
}

/**
 * Keeps what is held in memory within limits, whatever comes: so many requests and bytes are let in, the next are asked to retry;
 * of those that are in, only so many are unpacked and worked on at a time, the others wait as they came.
 */
export class Pressure {
  readonly #limits: IntakeSettings;
  #requests = 0;
  #bytes = 0;
  #work = 0;
  readonly #waiting: { readonly bytes: number; readonly begin: () => void }[] = [];

  constructor(limits: IntakeSettings) {
    this.#limits = limits;
  }

  get held(): Held {
    return { requests: this.#requests, bytes: this.#bytes, workBytes: this.#work, waiting: this.#waiting.length };
  }

  /** Lets a request in, with room for so many bytes as they come over the wire; undefined when there is none. */
  enter(bytes: number): { readonly leave: () => void } | undefined {
    if (this.#requests >= this.#limits.heldRequests || this.#bytes + bytes > this.#limits.heldBytes) return undefined;
    this.#requests++;
    this.#bytes += bytes;
    let isIn = true;
    return {
      leave: () => {
        if (!isIn) return;
        isIn = false;
        this.#requests--;
        this.#bytes -= bytes;
      },
    };
  }

  /** Does work on a body of so many bytes when there is room for it, in the order asked. One that is over the limit works alone. */
  async work<T>(unpackedBytes: number, encoding: OtlpEncoding, work: () => Promise<T>): Promise<T> {
    const bytes = Math.min(unpackedBytes * FACTOR[encoding], this.#limits.workBytes);
    if (this.#waiting.length > 0 || this.#work + bytes > this.#limits.workBytes)
      await new Promise<void>((begin) => this.#waiting.push({ bytes, begin }));
    else this.#work += bytes;
    try {
      return await work();
    } finally {
      this.#work -= bytes;
      while (this.#waiting.length > 0 && this.#work + this.#waiting[0].bytes <= this.#limits.workBytes) {
        const next = this.#waiting.shift()!;
        this.#work += next.bytes;
        next.begin();
      }
    }
  }
}
