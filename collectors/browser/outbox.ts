import { takeMasked } from '../../src/core/visits/pageMask.ts';
import type { Session } from './session.ts';
import type { SnippetSettings } from './settings.ts';

/** One thing that is told, as it is sent. */
export interface Told {
  /** Kind. */
  readonly k: string;
  /** Epoch milliseconds, with a fraction. */
  readonly t: number;
  /** The page. */
  readonly p: string;
  readonly n?: string;
  /** Duration, milliseconds. */
  readonly d?: number;
  /** The trace of the request that it made. */
  readonly tr?: string;
  readonly x?: Readonly<Record<string, string | number | boolean>>;
}

interface Waiting {
  readonly session: string;
  readonly order: number;
  readonly told: Told;
}

const EVERY_MS = 5_000;
const MOST_AT_ONCE = 50;
/** What waits while nothing can be sent; the oldest gives way. */
const MOST_WAITING = 400;
const FIRST_PAUSE_MS = 2_000;
const LONGEST_PAUSE_MS = 120_000;
const STORED = 'dusk.waiting';

/** What is told, sent in batches; kept while the door does not answer, at growing intervals; handed to the browser when the page is left. */
export class Outbox {
  readonly #settings: SnippetSettings;
  readonly #session: Session;
  #waiting: Waiting[] = [];
  #about: Record<string, string | number | boolean> = {};
  #user = '';
  #order = 0;
  #pauseMs = 0;
  #notBefore = 0;
  #isSending = false;
  #consent: boolean;
  #isOff = false;

  constructor(settings: SnippetSettings, session: Session) {
    this.#settings = settings;
    this.#session = session;
    this.#consent = settings.consent === 'given';
    if (this.#consent) this.#takeStored();
    setInterval(() => void this.#flush(), EVERY_MS);
    addEventListener('online', () => {
      this.#notBefore = 0;
      void this.#flush();
    });
  }

  tell(told: Told): void {
    if (this.#isOff) return;
    // Before consent not even an id of the visit is made.
    const session = this.#consent ? this.#session.id(told.t) : '';
    this.#waiting.push({ session, order: this.#order++, told });
    if (this.#waiting.length > MOST_WAITING) this.#waiting.shift();
    if (this.#waiting.length >= MOST_AT_ONCE) void this.#flush();
  }

  about(facts: Readonly<Record<string, unknown>>): void {
    for (const [name, value] of Object.entries(facts).slice(0, 20))
      if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean')
        this.#about[name.slice(0, 60)] = value;
  }

  user(name: string): void {
    this.#user = name.slice(0, 64);
  }

  consent(given: boolean): void {
    this.#consent = given;
    this.#isOff = !given;
    if (given) {
      const now = Date.now();
      this.#waiting = this.#waiting.map((it) => (it.session === '' ? { ...it, session: this.#session.id(now) } : it));
      void this.#flush();
      return;
    }
    this.#waiting = [];
    this.#session.forget();
    stored('');
  }

  /** The page is left or hidden: what waits is handed to the browser, which sends it afterwards. */
  leave(): void {
    if (!this.#consent || this.#isOff || this.#waiting.length === 0) return;
    while (this.#waiting.length > 0) {
      const batch = this.#next();
      if (Date.now() < this.#notBefore || !navigator.sendBeacon?.(this.#settings.door, this.#body(batch))) {
        stored(JSON.stringify(this.#waiting.slice(-MOST_AT_ONCE)));
        return;
      }
      this.#drop(batch);
    }
  }

  async #flush(): Promise<void> {
    if (!this.#consent || this.#isOff || this.#isSending || this.#waiting.length === 0) return;
    if (!navigator.onLine || Date.now() < this.#notBefore) return;
    this.#isSending = true;
    const batch = this.#next();
    try {
      // Text is sent without asking the door first.
      const answer = await fetch(this.#settings.door, {
        method: 'POST',
        body: this.#body(batch),
        headers: { 'content-type': 'text/plain' },
        keepalive: true,
        credentials: 'omit',
        mode: 'cors',
      });
      if (answer.status === 403 || answer.status === 404) {
        this.#isOff = true;
        this.#waiting = [];
      } else if (answer.ok || (answer.status < 500 && answer.status !== 429)) {
        this.#drop(batch);
        this.#pauseMs = 0;
      } else this.#wait(Number(answer.headers.get('retry-after')) * 1_000);
    } catch {
      this.#wait(0);
    } finally {
      this.#isSending = false;
    }
  }

  #wait(leastMs: number): void {
    this.#pauseMs = Math.min(LONGEST_PAUSE_MS, Math.max(FIRST_PAUSE_MS, 2 * this.#pauseMs));
    // Not all pages at once.
    this.#notBefore = Date.now() + Math.max(leastMs || 0, this.#pauseMs) * (0.5 + Math.random());
  }

  /** The next that are sent together: of one visit. */
  #next(): Waiting[] {
    const [{ session }] = this.#waiting;
    const end = this.#waiting.findIndex((it) => it.session !== session);
    return this.#waiting.slice(0, Math.min(MOST_AT_ONCE, end < 0 ? this.#waiting.length : end));
  }

  #drop(batch: readonly Waiting[]): void {
    // What was put aside when the page was hidden is in what waits, too.
    stored('');
    const sent = new Set(batch);
    this.#waiting = this.#waiting.filter((it) => !sent.has(it));
  }

  #body(batch: readonly Waiting[]): string {
    const { release, region } = this.#settings;
    return JSON.stringify({
      v: 1,
      session: batch[0].session,
      now: Date.now(),
      release,
      user: this.#user,
      about: { ...(region && { region }), ...this.#about },
      masked: takeMasked(),
      events: batch.map(({ order, told }) => ({ o: order, ...told })),
    });
  }

  /** What the page before could not send any more. */
  #takeStored(): void {
    try {
      const found = JSON.parse(sessionStorage.getItem(STORED) ?? '[]') as Waiting[];
      if (Array.isArray(found)) this.#waiting = found.slice(-MOST_AT_ONCE);
    } catch {
      // What cannot be read is lost.
    }
    stored('');
  }
}

function stored(text: string): void {
  try {
    if (text) sessionStorage.setItem(STORED, text);
    else sessionStorage.removeItem(STORED);
  } catch {
    // Without storage it is lost.
  }
}
