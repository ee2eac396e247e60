import { formatBytes } from '../core/measures/amount.ts';

/** The store may be so much larger than it is to be, for as long as its oldest days are being dropped. */
const OVER = 1.1;
/** So much of the disk is left to what is stored already: a database that has none cannot even drop a day. */
const LEAST_FREE = 512 * 1024 ** 2;
const LOOKED_EACH_MS = 20_000;

/** What is known of the room that there is, in bytes; free space is null where the disk is another machine's. */
export interface Room {
  readonly stored: number;
  readonly mostStored: number;
  readonly free: number | null;
}

/** Why nothing more is taken; empty when there is room. */
export function fullWords({ stored, mostStored, free }: Room): string {
  if (free !== null && free < LEAST_FREE) return `the disk has ${formatBytes(free)} left, which what is stored already needs`;
  if (stored > mostStored * OVER)
    return `the store holds ${formatBytes(stored)} of the ${formatBytes(mostStored)} it may, all of it of this hour; see Intake, or raise DUSK_KEEP_GIB`;
  return '';
}

/** Keeps an eye on the room that there is. Nobody who sends waits for it: what is known is up to so many seconds old. */
export class RoomWatch {
  readonly #look: () => Promise<Room>;
  #words = '';
  #lookedAt = Number.NEGATIVE_INFINITY;

  /** @param look reads what is known now; when it fails, what was known stays */
  constructor(look: () => Promise<Room>) {
    this.#look = look;
  }

  /** Why nothing more is taken; empty when there is room. @param now epoch milliseconds */
  words(now: number): string {
    if (now - this.#lookedAt >= LOOKED_EACH_MS) {
      this.#lookedAt = now;
      this.#look().then(
        (room) => {
          this.#words = fullWords(room);
        },
        () => {},
      );
    }
    return this.#words;
  }
}
