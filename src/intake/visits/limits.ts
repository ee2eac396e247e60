import { LRUCache } from 'lru-cache';
import type { Site } from './sites.ts';

/** Of one address, in a minute: many visitors may share one. */
const EVENTS_OF_ADDRESS = 6_000;
const BATCHES_OF_ADDRESS = 600;
/** Addresses that are remembered; those that are forgotten begin anew. */
const MOST_ADDRESSES = 20_000;
const MINUTE_MS = 60_000;
const DAY_MS = 86_400_000;

/** So many a minute, as they come, and as many at once. */
class Bucket {
  #left: number;
  #at: number;

  constructor(most: number, nowMs: number) {
    this.#left = most;
    this.#at = nowMs;
  }

  /** @returns milliseconds until there is room; 0 when it was taken */
  take(count: number, most: number, nowMs: number): number {
    this.#left = Math.min(most, this.#left + ((nowMs - this.#at) / MINUTE_MS) * most);
    this.#at = nowMs;
    if (this.#left < count) return ((count - this.#left) / most) * MINUTE_MS;
    this.#left -= count;
    return 0;
  }
}

/** What may come through the public door: bounds of an address, of a site in a minute, and of a site in a day. */
export class VisitLimits {
  readonly #addresses = new LRUCache<string, { readonly events: Bucket; readonly batches: Bucket }>({ max: MOST_ADDRESSES });
  readonly #sites = new Map<string, { readonly minute: Bucket; day: number; count: number }>();

  /** @returns seconds to wait; 0 when all is taken */
  take(site: Site, address: string, events: number, nowMs: number): number {
    let of = this.#addresses.get(address);
    if (!of) {
      of = { events: new Bucket(EVENTS_OF_ADDRESS, nowMs), batches: new Bucket(BATCHES_OF_ADDRESS, nowMs) };
      this.#addresses.set(address, of);
    }
    const waitMs = of.batches.take(1, BATCHES_OF_ADDRESS, nowMs) || of.events.take(events, EVENTS_OF_ADDRESS, nowMs);
    if (waitMs > 0) return Math.ceil(waitMs / 1_000);
    return this.#takeOfSite(site, events, nowMs);
  }

  #takeOfSite({ key, perMinute, perDay }: Site, events: number, nowMs: number): number {
    const day = Math.floor(nowMs / DAY_MS);
    let own = this.#sites.get(key);
    if (!own) {
      own = { minute: new Bucket(perMinute, nowMs), day, count: 0 };
      this.#sites.set(key, own);
    }
    if (own.day !== day) [own.day, own.count] = [day, 0];
    if (own.count + events > perDay) return Math.ceil(((day + 1) * DAY_MS - nowMs) / 1_000);
    const waitMs = own.minute.take(events, perMinute, nowMs);
    if (waitMs > 0) return Math.ceil(waitMs / 1_000);
    own.count += events;
    return 0;
  }
}
