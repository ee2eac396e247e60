/** What a request is sampled by. */
export interface SampledBy {
  /** Bytes in which the id stands, and where it begins; 16 of them count. */
  readonly idBytes: Uint8Array;
  readonly idAt: number;
  readonly durationNs: number;
  /** 0 fine, 1 with a failure somewhere, 2 failed. */
  readonly outcome: 0 | 1 | 2;
}

/** A request of a sample, and how many requests it represents. */
export interface Sampled<T> {
  readonly item: T;
  readonly weight: number;
}

interface Stratum<T> {
  total: number;
  /** The items of least hash so far, in no order, and their hashes. */
  items: T[];
  hashes: number[];
  /** Hashes at or above this are not taken any more. */
  bound: number;
}

const ID_BYTES = 16;

/**
 * Draws a sample of requests, the same one each time, in one pass. Requests are distinguished by a hash of their id, never by the id itself:
 * ids may begin with the time or with a prefix that a sender gives all of its own. The sample is stratified by the octave of the duration
 * and by the outcome, so that the slow and the failed ones, which are few, are in it.
 *
 * Of each stratum those of the least hash are taken: every request of a stratum is as likely as any other. Memory: at most twice the
 * size of the sample and the strata.
 */
export class StratifiedSample<T> {
  readonly #most: number;
  readonly #strata = new Map<number, Stratum<T>>();
  #total = 0;

  /** @param most requests in the sample, at most */
  constructor(most: number) {
    this.#most = most;
  }

  /** Requests that were offered. */
  get total(): number {
    return this.#total;
  }

  add(by: SampledBy, item: T): void {
    this.#total++;
    const key = Math.ceil(Math.log2(Math.max(by.durationNs, 1))) * 3 + by.outcome;
    let stratum = this.#strata.get(key);
    if (!stratum) {
      stratum = { total: 0, items: [], hashes: [], bound: 2 ** 32 };
      this.#strata.set(key, stratum);
    }
    stratum.total++;
    const hash = idHash(by.idBytes, by.idAt);
    if (hash >= stratum.bound) return;
    stratum.items.push(item);
    stratum.hashes.push(hash);
    if (stratum.items.length >= 2 * this.#most) trim(stratum, this.#most);
  }

  /** The sample. Weights of a stratum sum to how many it has; all of them to the total. */
  taken(): Sampled<T>[] {
    const strata = [...this.#strata.values()];
    const quotas = quotasOf(
      strata.map(({ total }) => total),
      this.#most,
    );
    return strata.flatMap((stratum, at) => {
      trim(stratum, quotas[at]);
      const weight = stratum.total / stratum.items.length;
      return stratum.items.map((item) => ({ item, weight }));
    });
  }
}

/** Keeps the items of least hash. */
function trim<T>(stratum: Stratum<T>, most: number): void {
  if (stratum.items.length <= most) return;
  const order = stratum.hashes.map((_, at) => at).sort((a, b) => stratum.hashes[a] - stratum.hashes[b]);
  stratum.bound = stratum.hashes[order[most]];
  const kept = order.slice(0, most);
  stratum.items = kept.map((at) => stratum.items[at]);
  stratum.hashes = kept.map((at) => stratum.hashes[at]);
}

/** How many to take of each stratum: all of the small ones, and of the rest in equal parts, so that none is passed over. */
function quotasOf(totals: readonly number[], most: number): number[] {
  const quotas = totals.map(() => 0);
  const open = totals.map((_, at) => at).sort((a, b) => totals[a] - totals[b]);
  let left = most;
  for (const [done, at] of open.entries()) {
    quotas[at] = Math.min(totals[at], Math.max(1, Math.floor(left / (open.length - done))));
    left = Math.max(0, left - quotas[at]);
  }
  return quotas;
}

/** A hash of an id, 32 bits (FNV-1a with a final mix): near ids have hashes far apart. */
export function idHash(bytes: Uint8Array, at: number): number {
  let hash = 0x811c9dc5;
  for (let index = at; index < at + ID_BYTES; index++) hash = Math.imul(hash ^ bytes[index], 0x01000193);
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return (hash ^ (hash >>> 16)) >>> 0;
}
