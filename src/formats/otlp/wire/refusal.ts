/** Why one record of a readable request is refused. The rest of the request is kept. */
export class RefusedRecord extends Error {}

/** Refuses the record that is being read. */
export function refuse(reason: string): never {
  throw new RefusedRecord(reason);
}

/** A request that cannot be read at all. */
export class MalformedRequest extends Error {}

/** How many records of a request were refused, by reason. */
export class Refusals {
  readonly byReason = new Map<string, number>();
  readonly #warnings = new Map<string, number>();

  /** The result of `read`; undefined, and counted, when it refuses. */
  attempt<T>(read: () => T): T | undefined {
    try {
      return read();
    } catch (error) {
      if (!(error instanceof RefusedRecord)) throw error;
      this.note(error);
      return undefined;
    }
  }

  /** Counts a refused record. */
  note(error: RefusedRecord): void {
    this.byReason.set(error.message, (this.byReason.get(error.message) ?? 0) + 1);
  }

  /** Notes what is wrong with a record that is kept all the same. */
  warn(what: string): void {
    // A sender that does everything wrong differently each time is told enough of it.
    if (this.#warnings.size < 20) this.#warnings.set(what, (this.#warnings.get(what) ?? 0) + 1);
  }

  get count(): number {
    let count = 0;
    for (const number of this.byReason.values()) count += number;
    return count;
  }

  /** In words, for the sender. */
  toString(): string {
    return [...this.byReason, ...this.#warnings].map(([reason, count]) => `${count} × ${reason}`).join('; ');
  }
}

/** Around the records nothing can be refused singly: what is wrong there makes the whole request unreadable. */
export function aroundRecords<T>(read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw error instanceof RefusedRecord ? new MalformedRequest(error.message) : error;
  }
}

/** Attribute values nested deeper than this are refused. */
export const DEEPEST_VALUE = 32;

export const tooDeep = () => new RefusedRecord(`attribute is nested deeper than ${DEEPEST_VALUE}`);
