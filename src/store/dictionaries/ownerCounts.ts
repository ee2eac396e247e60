/** Stands for all names beyond those that are told apart. */
export const OTHER = 'other names';

/** Counts are read anew no more often than this. */
const FRESH_MS = 60_000;

/** How many rows each owner has, so that none gets more than it may. */
export class OwnerCounts {
  readonly #most: number;
  readonly #mostOwners: number;
  readonly #read: () => Promise<Map<string, number>>;
  #counts: Map<string, number> | undefined;
  #readAt = 0;

  /** @param read the counts as they are stored: other processes add rows too */
  constructor(most: number, mostOwners: number, read: () => Promise<Map<string, number>>) {
    this.#most = most;
    this.#mostOwners = mostOwners;
    this.#read = read;
  }

  /** Reads the counts when they are old. To be called before `admit`. */
  async refresh(now = Date.now()): Promise<void> {
    if (this.#counts && now - this.#readAt < FRESH_MS) return;
    this.#readAt = now;
    this.#counts = await this.#read();
  }

  /** Takes a new row of an owner into account. @returns undefined when it may have one of its own; else whose common row it shares */
  admit(owner: string): string | undefined {
    const counts = this.#counts ?? new Map<string, number>();
    const count = counts.get(owner);
    if (count === undefined && counts.size >= this.#mostOwners) return OTHER;
    if ((count ?? 0) >= this.#most) return owner;
    counts.set(owner, (count ?? 0) + 1);
    return undefined;
  }
}
