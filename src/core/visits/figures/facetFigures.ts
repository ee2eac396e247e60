import { type Codes, codesOf } from '../../columns/segment.ts';
import { explainedOf, type Totals } from '../../contrast/explained.ts';
import type { NarrowedSlot } from '../slotVisits.ts';
import { FACETS, type Facet } from '../visitColumns.ts';
import { ValueCounts } from './valueCounts.ts';

/** Values of a facet that are told apart; views with later ones are in none of them. */
const MOST_VALUES = 60;
/** Visits that are alike in all facets are counted together, of so many kinds; each takes some forty kilobytes. */
const MOST_KINDS = 400;
/** A visit whose kind is not looked up yet; one that is of none of those kinds. */
const NOT_LOOKED_UP = 0;
const OF_NO_KIND = MOST_KINDS + 1;

/** What is counted of a value of a facet. */
class ValueSum {
  views = 0;
  /** Milliseconds until ready, of the views that have a load time. */
  readonly ready = new ValueCounts();
  /** Epoch milliseconds of its first view. */
  firstMs = Number.POSITIVE_INFINITY;

  /** @param readyMs below 0 of a view without a load time */
  add(readyMs: number, timeMs: number): void {
    this.views++;
    if (readyMs >= 0) this.ready.add(readyMs);
    if (timeMs < this.firstMs) this.firstMs = timeMs;
  }

  merge(other: ValueSum): void {
    this.views += other.views;
    this.ready.merge(other.ready);
    this.firstMs = Math.min(this.firstMs, other.firstMs);
  }
}

/** Views by the value that each facet of their visit has; empty where it is not reported. */
export type FacetSums = Readonly<Record<Facet, ReadonlyMap<string, ValueSum>>>;

/** The values of one facet in the order in which they come. */
class FacetValues {
  readonly texts: string[] = [];
  readonly sums: ValueSum[] = [];
  readonly #places = new Map<string, number>();

  /** The place of a value; `MOST_VALUES` of those beyond. */
  placeOf(text: string): number {
    const known = this.#places.get(text);
    if (known !== undefined) return known;
    if (this.texts.length >= MOST_VALUES) return MOST_VALUES;
    this.#places.set(text, this.texts.length);
    this.sums.push(new ValueSum());
    return this.texts.push(text) - 1;
  }
}

/** Visits that are alike in all facets. */
interface Kind {
  readonly places: readonly number[];
  readonly sum: ValueSum;
}

/** Numbers the kinds of visits from 1, facet after facet: a step down the tree is one look into a table. */
class KindTree {
  /** By facet, and by node above it and place of the value: 1 + the node below. */
  readonly #tables: readonly Uint16Array[];
  readonly #nodes: number[];

  constructor(depth: number) {
    this.#tables = Array.from({ length: depth }, () => new Uint16Array(MOST_KINDS * (MOST_VALUES + 1)));
    this.#nodes = new Array<number>(depth).fill(0);
  }

  /** 0 where there is no room for a kind more. */
  numberOf(placeIn: (facet: number) => number): number {
    let node = 1;
    for (let facet = 0; facet < this.#tables.length; facet++) {
      const table = this.#tables[facet];
      const at = (node - 1) * (MOST_VALUES + 1) + placeIn(facet);
      if (table[at] === 0) {
        if (this.#nodes[facet] >= MOST_KINDS) return 0;
        table[at] = ++this.#nodes[facet];
      }
      node = table[at];
    }
    return node;
  }
}

/** @param rowsOf which views of each slot are counted */
export function facetSums(slots: readonly NarrowedSlot[], rowsOf: readonly Uint32Array[]): FacetSums {
  const facets = FACETS.map(() => new FacetValues());
  const kinds: Kind[] = [];
  const tree = new KindTree(facets.length);
  for (const [place, slot] of slots.entries()) {
    const columns = FACETS.map((facet) => codesOf(slot.visits, facet));
    const placesOf = columns.map(({ texts }) => new Int8Array(texts.length + 1).fill(-1));
    const placeIn = (facet: number, row: number) => {
      const { values, texts } = columns[facet];
      const [code, places] = [values[row], placesOf[facet]];
      if (places[code] < 0) places[code] = facets[facet].placeOf(texts[code - 1] ?? '');
      return places[code];
    };
    const kindOf = (row: number): number => {
      const number = tree.numberOf((facet) => placeIn(facet, row));
      if (number > kinds.length) kinds.push({ places: facets.map((_, facet) => placeIn(facet, row)), sum: new ValueSum() });
      return number === 0 ? OF_NO_KIND : number;
    };
    const [visit, at, ready] = ['visit', 'at', 'ready'].map((name) => codesOf(slot.views, name).values);
    const begin = codesOf(slot.visits, 'at').values;
    const kindOfVisit = new Uint16Array(slot.visits.rows);
    const rows = rowsOf[place];
    for (let index = 0; index < rows.length; index++) {
      const row = rows[index];
      const own = visit[row];
      if (kindOfVisit[own] === NOT_LOOKED_UP) kindOfVisit[own] = kindOf(own);
      const readyMs = readyMsAt(ready, row);
      const timeMs = slot.fromMs + begin[own] + at[row];
      const kind = kindOfVisit[own];
      if (kind !== OF_NO_KIND) kinds[kind - 1].sum.add(readyMs, timeMs);
      else for (const [facet, { sums }] of facets.entries()) sums[placeIn(facet, own)]?.add(readyMs, timeMs);
    }
  }
  for (const { places, sum } of kinds) for (const [facet, place] of places.entries()) facets[facet].sums[place]?.merge(sum);
  return Object.fromEntries(
    FACETS.map((facet, at) => [facet, new Map(facets[at].texts.map((text, place) => [text, facets[at].sums[place]]))]),
  ) as Record<Facet, Map<string, ValueSum>>;
}

/** Milliseconds until ready of a view; -1 without a load time. */
export function readyMsAt(ready: Codes, row: number): number {
  return ready[row] > 0 ? Math.round((ready[row] - 1) / 1_000) : -1;
}

/** A value of a facet in both windows. */
export interface FacetValue {
  readonly value: string;
  readonly lit: number;
  readonly before: number;
  /** Third quartile of the time until ready, milliseconds; NaN of none. */
  readonly litP75: number;
  readonly beforeP75: number;
  /** What it explains of the difference of the means: 1 is all of it. */
  readonly explains: number;
  readonly firstMs: number;
}

/** What is said of a facet in one window: its sums, and the times of all views until ready. */
export interface FacetSide {
  readonly facets: FacetSums;
  readonly ready: ValueCounts;
}

/** The values of a facet, those seen most first, with what each explains of what pages take longer. */
export function facetValues(facet: Facet, lit: FacetSide, before: FacetSide): FacetValue[] {
  const all = totals(lit.ready, before.ready);
  const difference = all.sumA / all.nA - all.sumB / all.nB;
  const names = new Set([...lit.facets[facet].keys(), ...before.facets[facet].keys()]);
  return [...names]
    .map((value) => {
      const [now, then] = [lit.facets[facet].get(value), before.facets[facet].get(value)];
      const whole = now || then ? explainedOf(all, totals(now?.ready, then?.ready)).whole : 0;
      return {
        value,
        lit: now?.views ?? 0,
        before: then?.views ?? 0,
        litP75: now?.ready.quantile(0.75) ?? Number.NaN,
        beforeP75: then?.ready.quantile(0.75) ?? Number.NaN,
        explains: difference !== 0 && Number.isFinite(difference) ? whole / difference : 0,
        firstMs: now?.firstMs ?? Number.NaN,
      };
    })
    .sort((a, b) => b.lit - a.lit || b.before - a.before);
}

function totals(lit: ValueCounts | undefined, before: ValueCounts | undefined): Totals {
  return { nA: lit?.total ?? 0, nB: before?.total ?? 0, sumA: lit?.sum ?? 0, sumB: before?.sum ?? 0 };
}
