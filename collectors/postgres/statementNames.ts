import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { readStatement } from '../../src/formats/database/fingerprint.ts';

/** What a statement is called by. */
export interface NamedText {
  /** PostgreSQL's fingerprint; of what cannot be parsed, such as a text that was cut, a hash of the server's own id. */
  readonly id: string;
  /** Values left out. */
  readonly text: string;
}

/** How often the text of a statement is sent again. */
const AGAIN_MS = 600_000;
const MOST = 5_000;
const HIDDEN = '<insufficient privilege>';

/**
 * Ids of statements. Parsing takes half a millisecond, so what the server's own id stands for is remembered; where the server gives none,
 * before version 14, it goes by the text.
 */
export class StatementNames {
  readonly #byKey = new LRUCache<string, NamedText>({ max: MOST });
  readonly #sent = new LRUCache<string, number>({ max: MOST });
  readonly #full = new LRUCache<string, string>({ max: MOST });
  readonly #now: () => number;

  constructor(now: () => number = Date.now) {
    this.#now = now;
  }

  /** Learns the full text behind one of the server's ids: that of a running statement may have been cut. */
  learn(queryId: string, text: string): void {
    if (this.#full.get(queryId) === text) return;
    this.#full.set(queryId, text);
    this.#byKey.delete(queryId);
  }

  knows(queryId: string): boolean {
    return this.#full.has(queryId);
  }

  /**
   * @param queryId the server's own, where it has one @param text as it runs; hidden where the rights do not suffice
   * @returns undefined when nothing is known; `isNew` when its text was not sent lately
   */
  of(queryId: string | null, text: string): (NamedText & { readonly isNew: boolean }) | undefined {
    const id = queryId === '0' ? null : queryId;
    const known = id === null ? undefined : this.#full.get(id);
    const shown = known ?? text;
    const isShown = shown !== '' && shown !== HIDDEN;
    const key = id ?? shown;
    if (!isShown && !this.#byKey.has(key)) return undefined;
    let named = this.#byKey.get(key);
    if (!named) {
      const read = readStatement(shown);
      named = read ? { id: read.id, text: read.text } : { id: hashOf(queryId ?? shown), text: known ?? withoutValues(shown) };
      this.#byKey.set(key, named);
    }
    const isNew = this.#now() - (this.#sent.get(named.id) ?? Number.NEGATIVE_INFINITY) >= AGAIN_MS;
    if (isNew) this.#sent.set(named.id, this.#now());
    return { ...named, isNew };
  }
}

function hashOf(text: string): string {
  return createHash('md5').update(text).digest('hex').slice(0, 16);
}

/** Of a text that cannot be parsed: what may be a value is taken out all the same. */
function withoutValues(text: string): string {
  return text.replace(/'(?:[^']|'')*'?/g, '?').replace(/\b\d+(\.\d+)?\b/g, '?');
}
