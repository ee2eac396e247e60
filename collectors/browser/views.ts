import { maskPath } from '../../src/core/visits/pageMask.ts';
import type { Told } from './outbox.ts';
import { hex } from './session.ts';

/** A view that is open. */
export interface OpenView {
  readonly id: string;
  readonly page: string;
  /** Epoch milliseconds at which it began. */
  readonly startMs: number;
}

/** Epoch milliseconds of a time of `performance`. */
export function epochMs(time: number): number {
  return performance.timeOrigin + time;
}

type Tell = (told: Told) => void;

/** A view without a document is ready when nothing has happened for so long, and is waited for at most so long. */
const QUIET_MS = 150;
const LONGEST_ROUTE_MS = 15_000;

/** The page as it is loaded, and every one after it that the application shows without a new document. */
export class Views {
  readonly #tell: Tell;
  #open: OpenView;
  readonly #first: OpenView;
  readonly #listeners: ((view: OpenView) => void)[] = [];
  /** When something last happened for the view that is getting ready, and how many requests it waits for. */
  #lastMs = 0;
  #requests = 0;
  #settle: (() => void) | undefined;

  constructor(tell: Tell) {
    this.#tell = tell;
    this.#open = { id: hex(6), page: maskPath(location.pathname), startMs: epochMs(0) };
    this.#first = this.#open;
    if (document.readyState === 'complete') this.#loaded();
    else addEventListener('load', () => setTimeout(() => this.#loaded(), 0), { once: true });
    this.#followRoutes();
  }

  get open(): OpenView {
    return this.#open;
  }

  /** The view of the document. */
  get first(): OpenView {
    return this.#first;
  }

  onChange(listener: (view: OpenView) => void): void {
    this.#listeners.push(listener);
  }

  /** Something belonging to the view happened: it changed, or a request of it began or ended. */
  stirred(requests: -1 | 0 | 1 = 0): void {
    this.#requests = Math.max(0, this.#requests + requests);
    this.#lastMs = epochMs(performance.now());
  }

  /** Another page is shown. @param path as the application calls it */
  show(path: string): void {
    const page = maskPath(path);
    if (page === this.#open.page) return;
    this.#settle?.();
    const view = { id: hex(6), page, startMs: epochMs(performance.now()) };
    this.#open = view;
    this.#requests = 0;
    this.#lastMs = view.startMs;
    for (const listener of this.#listeners) listener(view);
    const timer = setInterval(() => {
      const now = epochMs(performance.now());
      if ((this.#requests === 0 && now - this.#lastMs >= QUIET_MS) || now - view.startMs > LONGEST_ROUTE_MS) this.#settle?.();
    }, 50);
    this.#settle = () => {
      clearInterval(timer);
      this.#settle = undefined;
      this.#tell({
        k: 'page',
        t: view.startMs,
        p: view.page,
        d: Math.max(0, this.#lastMs - view.startMs),
        x: { view: view.id, trigger: 'route' },
      });
    };
  }

  /** What a view that is not ready yet has come to. */
  end(): void {
    this.#settle?.();
  }

  #loaded(): void {
    const [entry] = performance.getEntriesByType('navigation') as PerformanceNavigationTiming[];
    const view = this.#first;
    if (!entry) return;
    const tls = entry.secureConnectionStart > 0 ? entry.connectEnd - entry.secureConnectionStart : 0;
    const dns = entry.domainLookupEnd - entry.domainLookupStart;
    const connect = entry.connectEnd - entry.connectStart - tls;
    this.#tell({
      k: 'page',
      t: view.startMs,
      p: view.page,
      d: entry.loadEventEnd || entry.loadEventStart || entry.domComplete,
      x: {
        view: view.id,
        trigger: 'load',
        // Redirects, and whatever else comes before the request is sent.
        'redirect.ms': positive(entry.requestStart - dns - connect - tls),
        'dns.ms': positive(dns),
        'connect.ms': positive(connect),
        'tls.ms': positive(tls),
        'request.ms': positive(entry.responseStart - entry.requestStart),
        'response.ms': positive(entry.responseEnd - entry.responseStart),
        bytes: entry.transferSize,
      },
    });
  }

  #followRoutes(): void {
    const changed = () => this.show(location.pathname);
    for (const name of ['pushState', 'replaceState'] as const) {
      const original = history[name];
      history[name] = function (this: History, ...given: Parameters<History['pushState']>) {
        original.apply(this, given);
        changed();
      };
    }
    addEventListener('popstate', changed);
  }
}

/** Times that do not go together are none. */
export function positive(ms: number): number {
  return Math.max(0, Math.round(ms * 1_000) / 1_000);
}
