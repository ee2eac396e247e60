import type { ContrastBlock, FacetColumn } from './contrastSource.ts';
import { type Facet, facetKey, sizeOf } from './requestSet.ts';

/** Values of one facet that are counted; of a facet with more only numbers are looked at. */
const MOST_VALUES = 5_000;
/** Values of fewer requests explain nothing that could be told from chance. */
const FEWEST = 5;
/** A facet identifies single requests when more than this share of those that have it have a value of their own. */
const IDENTIFYING = 0.5;
/** Numbers are cut when there are so many different ones; fewer are values like others. */
const FEWEST_NUMBERS = 12;
const NEARLY_ALL = 0.95;
/** Between which numbers are cut, at most. */
const MOST_CUTS = 64;
/** Sets whose sums are kept, of all facets together. */
const MOST_SLOTS = 6_000;
const USERS = /(^|\.)(user|enduser|tenant|customer|account)(\.id|\.name)?$/;
const NUMBERS_OF_THINGS = /(^|[._])(id|port|pid|line|lineno)$/;

/** The values of one facet, as counted. */
export interface CountedFacet {
  readonly facet: Facet;
  /** Index into the counts, by value. */
  readonly values: Map<string, number>;
  /** Whether there are more values than were counted. */
  many: boolean;
  /** Whether a request has several values of it. */
  several: boolean;
  /** Requests that have a value. */
  has: number;
}

/** Where sums of requests are kept: of a value, or of numbers up to the next bound. */
export type Slots =
  | { readonly type: 'values'; readonly of: CountedFacet; readonly slots: ReadonlyMap<string, number> }
  | { readonly type: 'numbers'; readonly of: CountedFacet; readonly bounds: readonly number[]; readonly first: number };

/** Counts the values of all facets on both sides: the first time that the requests are gone through. */
export class FacetCounts {
  readonly facets = new Map<string, CountedFacet>();
  readonly #counts: number[] = [];

  add({ count, rows, columns }: ContrastBlock): void {
    for (const column of columns) this.#addColumn(column, rows, count);
  }

  #addColumn({ offsets, items, labels }: FacetColumn, rows: Uint32Array, count: number): void {
    const own = labels.map(({ facet }) => this.#facet(facet));
    const at = new Int32Array(labels.length).fill(-2);
    const lastRow = new Map<CountedFacet, number>();
    // One facet a column but for what services run on: the last row is looked up for those only.
    const single = own.every((it) => it === own[0]) ? own[0] : undefined;
    for (let request = 0; request < count; request++) {
      const row = rows[request];
      const [from, to] = [offsets[row], offsets[row + 1]];
      if (from === to) continue;
      if (single) {
        single.has++;
        if (to - from > 1) single.several = true;
      }
      for (let item = from; item < to; item++) {
        const label = items[item];
        if (!single) {
          const facet = own[label];
          if (lastRow.get(facet) === row) facet.several = true;
          else {
            facet.has++;
            lastRow.set(facet, row);
          }
        }
        if (at[label] === -2) at[label] = this.#indexOf(own[label], labels[label].value);
        if (at[label] >= 0) this.#counts[at[label]]++;
      }
    }
  }

  #facet(facet: Facet): CountedFacet {
    const key = facetKey(facet);
    let known = this.facets.get(key);
    if (!known) {
      known = { facet, values: new Map(), many: false, several: false, has: 0 };
      this.facets.set(key, known);
    }
    return known;
  }

  #indexOf(facet: CountedFacet, value: string): number {
    let index = facet.values.get(value);
    if (index === undefined) {
      if (facet.values.size >= MOST_VALUES) {
        facet.many = true;
        return -1;
      }
      index = this.#counts.push(0) - 1;
      facet.values.set(value, index);
    }
    return index;
  }

  /** Requests of a value, both sides together. */
  countOf(facet: CountedFacet, value: string): number {
    return this.#counts[facet.values.get(value) ?? -1] ?? 0;
  }

  /** What is worth summing up: values of enough requests, and numbers between bounds. @returns the slots and how many they are */
  slots(): { readonly slots: Slots[]; readonly count: number } {
    const slots: Slots[] = [];
    let count = 0;
    for (const of of [...this.facets.values()].sort((a, b) => a.values.size - b.values.size)) {
      const numbers = this.#numbersOf(of);
      if (numbers) {
        if (count + numbers.length + 1 > MOST_SLOTS) continue;
        slots.push({ type: 'numbers', of, bounds: numbers, first: count });
        count += numbers.length + 1;
        continue;
      }
      const isUser = of.facet.service === null && USERS.test(of.facet.field);
      if (!isUser && (of.many || of.values.size > IDENTIFYING * of.has)) continue;
      const kept = [...of.values].filter(([, index]) => this.#counts[index] >= FEWEST);
      const room = kept
        .sort((a, b) => this.#counts[b[1]] - this.#counts[a[1]])
        .slice(0, Math.max(0, MOST_SLOTS - count))
        .map(([value], at) => [value, count + at] as const);
      if (room.length === 0) continue;
      slots.push({ type: 'values', of, slots: new Map(room) });
      count += room.length;
    }
    return { slots, count };
  }

  /** The bounds between which the numbers of a facet lie, ascending; undefined when its values are no numbers. */
  #numbersOf(of: CountedFacet): number[] | undefined {
    if (of.facet.service !== null || of.values.size < FEWEST_NUMBERS || NUMBERS_OF_THINGS.test(of.facet.field)) return undefined;
    const numbers = [...of.values].map(([value, index]) => ({ size: sizeOf(value), count: this.#counts[index] }));
    const sized = numbers.filter(({ size }) => Number.isFinite(size));
    if (sized.length < NEARLY_ALL * numbers.length) return undefined;
    sized.sort((a, b) => a.size - b.size);
    const all = sized.reduce((sum, it) => sum + it.count, 0);
    const bounds: number[] = [];
    let below = 0;
    for (const [at, { size, count }] of sized.entries()) {
      // The first number of the next part: requests are cut into parts of about the same size.
      if (at > 0 && below >= ((bounds.length + 1) * all) / (MOST_CUTS + 1) && bounds.length < MOST_CUTS) bounds.push(size);
      below += count;
    }
    return bounds.length > 0 ? bounds : undefined;
  }
}
