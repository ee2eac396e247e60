import { nodeId } from '../node.ts';
import type { TrafficRequest } from '../traffic.ts';

/** How often a cache was asked, and how often it had what it was asked for. */
export interface LookUpCount {
  readonly missed: number;
  readonly found: number;
}

/** Counts what services look up in caches, as far as their spans say what came of it. */
export class LookUpCounts {
  readonly #counts = new Map<string, { missed: number; found: number }>();

  add({ spans }: Pick<TrafficRequest, 'spans'>): void {
    for (const { operation, call } of spans) if (call?.found !== undefined) this.count(operation.service, call.peer, call.found);
  }

  /** One look-up. @param peer the cache, as the one that asks names it */
  count(asker: string, peer: string, found: boolean): void {
    const key = keyOf(asker, nodeId('cache', peer));
    const count = this.#counts.get(key) ?? { missed: 0, found: 0 };
    this.#counts.set(key, count);
    count[found ? 'found' : 'missed']++;
  }

  /** @param cache a node of the map */
  of(asker: string, cache: string): LookUpCount {
    return this.#counts.get(keyOf(asker, cache)) ?? { missed: 0, found: 0 };
  }
}

function keyOf(asker: string, cache: string): string {
  return JSON.stringify([asker, cache]);
}
