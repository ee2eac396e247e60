import { LRUCache } from 'lru-cache';

/** So many are remembered at a time: of more, those that tried longest ago are forgotten. */
const MOST_REMEMBERED = 20_000;

interface Tried {
  count: number;
  readonly ends: number;
}

/** Counts how often somebody tried something, in windows of time, for a bounded number of them. */
export class Tries {
  readonly #tried = new LRUCache<string, Tried>({ max: MOST_REMEMBERED });

  /** Counts one more try. @param now epoch milliseconds @returns the seconds after which to come again; 0 when it is allowed */
  take(key: string, { window, max }: { readonly window: number; readonly max: number }, now = Date.now()): number {
    let tried = this.#tried.get(key);
    if (!tried || tried.ends <= now) {
      tried = { count: 0, ends: now + window * 1000 };
      this.#tried.set(key, tried);
    }
    if (tried.count >= max) return Math.max(1, Math.ceil((tried.ends - now) / 1000));
    tried.count++;
    return 0;
  }

  /** Forgets the tries of one who succeeded. */
  forget(key: string): void {
    this.#tried.delete(key);
  }
}
