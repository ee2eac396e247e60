import type { Chance } from '../simulation/chance.ts';

/** A cache in memory: it answers a share of what it is asked; emptied, it fills again as it is asked. */
export class Cache {
  readonly name: string;
  readonly #warmShare: number;
  hits = 0;
  misses = 0;
  #share: number;

  constructor(name: string, warmShare: number) {
    this.name = name;
    this.#warmShare = warmShare;
    this.#share = warmShare;
  }

  empty(): void {
    this.#share = 0;
  }

  /** Whether it has what is asked for. */
  has(chance: Chance): boolean {
    const found = chance.happens(this.#share);
    if (found) this.hits++;
    else {
      this.misses++;
      // Each miss is brought in: the share goes up towards the usual one.
      this.#share += (this.#warmShare - this.#share) / 400;
    }
    return found;
  }
}
