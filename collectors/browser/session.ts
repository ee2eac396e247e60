const KEY = 'dusk.visit';
/** So long a silence ends a visit. */
const SILENCE_MS = 30 * 60_000;

/** The visit goes on from page to page of a tab, without a cookie. */
export class Session {
  #id = '';
  #last = 0;

  /** The id of the visit at a moment; another one after half an hour of silence. @param nowMs epoch milliseconds */
  id(nowMs: number): string {
    if (this.#id === '') this.#read();
    if (this.#id === '' || nowMs - this.#last > SILENCE_MS) this.#id = hex(16);
    this.#last = nowMs;
    try {
      sessionStorage.setItem(KEY, `${this.#id} ${nowMs}`);
    } catch {
      // A page without storage has a visit of its own.
    }
    return this.#id;
  }

  forget(): void {
    this.#id = '';
    try {
      sessionStorage.removeItem(KEY);
    } catch {
      // Nothing was kept.
    }
  }

  #read(): void {
    try {
      const [id = '', last = '0'] = (sessionStorage.getItem(KEY) ?? '').split(' ');
      if (/^[\da-f]{32}$/.test(id)) {
        this.#id = id;
        this.#last = Number(last) || 0;
      }
    } catch {
      // See above.
    }
  }
}

/** Random bytes as hex. */
export function hex(bytes: number): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(bytes)), (it) => it.toString(16).padStart(2, '0')).join('');
}
