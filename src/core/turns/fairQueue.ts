/** Something that waits for its turn. */
interface Waiting<T> {
  readonly task: T;
  readonly owner: string;
}

/**
 * Tasks that wait: those of pages before those that nobody waits for, and of the former one of each owner in turn, so that one who asks
 * much does not keep the others waiting.
 */
export class FairQueue<T> {
  /** By owner, in the order of their turns. */
  readonly #pages = new Map<string, T[]>();
  readonly #background: T[] = [];
  #size = 0;

  get size(): number {
    return this.#size;
  }

  /** How many tasks of an owner wait. */
  sizeOf(owner: string): number {
    return this.#pages.get(owner)?.length ?? 0;
  }

  push({ task, owner }: Waiting<T>): void {
    this.#size++;
    const own = this.#pages.get(owner);
    if (own) own.push(task);
    else this.#pages.set(owner, [task]);
  }

  pushBackground(task: T): void {
    this.#size++;
    this.#background.push(task);
  }

  pop(): T | undefined {
    const next = this.#pages.entries().next().value;
    const task = next ? next[1].shift() : this.#background.shift();
    if (next) {
      const [owner, own] = next;
      this.#pages.delete(owner);
      // Others come first now.
      if (own.length > 0) this.#pages.set(owner, own);
    }
    if (task !== undefined) this.#size--;
    return task;
  }

  has(task: T): boolean {
    return this.#background.includes(task) || [...this.#pages.values()].some((own) => own.includes(task));
  }

  clear(): void {
    this.#pages.clear();
    this.#background.length = 0;
    this.#size = 0;
  }
}
