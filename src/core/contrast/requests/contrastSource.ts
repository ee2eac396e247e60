import type { Codes } from '../../columns/segment.ts';
import { type Clause, type Facet, facetKey, fitsClause, type RequestSet } from './requestSet.ts';

/** Requests fall into so many groups by a hash of their id, each of which is left out once to see how sure a figure is. */
export const GROUPS = 64;

/** What one text of a column's dictionary says. */
export interface Label {
  readonly facet: Facet;
  readonly value: string;
}

/** Values of one or more facets: those of request r are `items` from `offsets[r]` to `offsets[r + 1]`, indices into `labels`. */
export interface FacetColumn {
  readonly offsets: Codes;
  readonly items: Codes;
  readonly labels: readonly Label[];
  /** Of all facets that the labels are of, see `facetKey`. */
  readonly keys: ReadonlySet<string>;
}

/** Some requests of the two populations, in columns. */
export interface ContrastBlock {
  readonly count: number;
  /** The row of each request in the columns of facets. */
  readonly rows: Uint32Array;
  /** 1 for a request of A, 0 for one of B. */
  readonly isA: Uint8Array;
  /** Nanoseconds; or 1 for one that failed, 0 for one that did not. */
  readonly outcome: Float64Array;
  /** How many requests each represents: 1, but for a sample. */
  readonly weight: Float64Array;
  /** 0 to GROUPS - 1. */
  readonly group: Uint8Array;
  /** Minutes since 1970-01-01 in which each began. */
  readonly minute: Int32Array;
  /** Index into `entries`: the operation at which each came in. */
  readonly entry: Uint32Array;
  readonly entries: readonly string[];
  /** 16 bytes a request. */
  readonly ids: Uint8Array;
  readonly columns: readonly FacetColumn[];
  /** Those who asked, as a text each; '' where it is not known. */
  readonly user: (at: number) => string;
}

/** The requests of both populations. They can be gone through several times, in the same order. */
export interface ContrastSource {
  readonly scan: (visit: (block: ContrastBlock) => void) => Promise<void>;
}

/** Which requests of a block belong to a set: 1 for each that does. */
export function membersOf({ count, rows, columns }: ContrastBlock, set: RequestSet): Uint8Array {
  const members = new Uint8Array(count).fill(1);
  for (const clause of set) {
    const key = facetKey(clause.facet);
    const holds = new Uint8Array(count);
    for (const { offsets, items, labels, keys } of columns) {
      if (!keys.has(key)) continue;
      const fit = Uint8Array.from(labels, ({ facet, value }) =>
        (keys.size === 1 || facetKey(facet) === key) && fitsClause(clause, value) ? 1 : 0,
      );
      if (!fit.includes(1)) continue;
      for (let at = 0; at < count; at++) {
        const row = rows[at];
        for (let item = offsets[row]; item < offsets[row + 1]; item++) if (fit[items[item]] === 1) holds[at] = 1;
      }
    }
    for (let at = 0; at < count; at++) members[at] &= holds[at];
  }
  return members;
}

/**
 * Tells which requests of a block belong to which of some sets; of the same one perhaps more than once. Sets of one clause that are about one facet
 * are looked at together, in one pass through its values.
 */
export function eachMember(block: ContrastBlock, sets: readonly RequestSet[], tell: (set: number, at: number) => void): void {
  const byFacet = new Map<string, { readonly set: number; readonly clause: Clause }[]>();
  for (const [set, clauses] of sets.entries()) {
    if (clauses.length !== 1) {
      const members = membersOf(block, clauses);
      for (let at = 0; at < block.count; at++) if (members[at] === 1) tell(set, at);
      continue;
    }
    const [clause] = clauses;
    const key = facetKey(clause.facet);
    const known = byFacet.get(key);
    if (known) known.push({ set, clause });
    else byFacet.set(key, [{ set, clause }]);
  }
  for (const { offsets, items, labels, keys } of block.columns) {
    const fit = labels.map(({ facet, value }): readonly number[] | undefined => {
      const wanted = byFacet.get(facetKey(facet))?.filter(({ clause }) => fitsClause(clause, value));
      return wanted && wanted.length > 0 ? wanted.map(({ set }) => set) : undefined;
    });
    if (![...keys].some((key) => byFacet.has(key)) || fit.every((it) => it === undefined)) continue;
    for (let at = 0; at < block.count; at++) {
      const row = block.rows[at];
      for (let item = offsets[row]; item < offsets[row + 1]; item++) {
        const own = fit[items[item]];
        if (own) for (const set of own) tell(set, at);
      }
    }
  }
}
