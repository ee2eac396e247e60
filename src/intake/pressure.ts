import type { OtlpEncoding } from '../formats/otlp/wire/answers.ts';
import type { IntakeSettings } from './settings.ts';

/** How much memory a request takes while it is worked on, in bytes for each byte of its unpacked body. */
const FACTOR: Readonly<Record<OtlpEncoding, number>> = { 'application/x-protobuf': 4, 'application/json': 10 };

/** The share of the door that one address may have: there is always room left for another. */
const MOST_OF_ONE = 0.75;

/** A request that was let in. */
export interface Place {
  /** Takes room for bytes that have come; false when there is none. */
  readonly take: (bytes: number) => boolean;
  readonly leave: () => void;
}

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
  readonly #ofAddress = new Map<string, { requests: number; bytes: number }>();
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

  /** Lets a request in, without room for any bytes yet; undefined when there are too many. @param address where it comes from */
  enter(address = ''): Place | undefined {
    const own = this.#ofAddress.get(address) ?? { requests: 0, bytes: 0 };
    const { heldRequests, heldBytes } = this.#limits;
    if (this.#requests >= heldRequests || own.requests >= heldRequests * MOST_OF_ONE) return undefined;
    this.#ofAddress.set(address, own);
    this.#requests++;
    own.requests++;
    let isIn = true;
    let taken = 0;
    return {
      take: (bytes) => {
        if (!isIn || this.#bytes + bytes > heldBytes || own.bytes + bytes > heldBytes * MOST_OF_ONE) return false;
        taken += bytes;
        this.#bytes += bytes;
        own.bytes += bytes;
        return true;
      },
      leave: () => {
        if (!isIn) return;
        isIn = false;
        this.#requests--;
        this.#bytes -= taken;
        own.requests--;
        own.bytes -= taken;
        if (own.requests === 0) this.#ofAddress.delete(address);
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
