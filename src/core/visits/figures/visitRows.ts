import { codesOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { SIGNS, type SignKind } from '../struggle.ts';
import { FACETS, type Facet } from '../visitColumns.ts';

/** One visit in a list. */
export interface VisitRow {
  readonly session: string;
  readonly facets: Readonly<Record<Facet, string>>;
  readonly user: string;
  /** Epoch milliseconds. */
  readonly at: number;
  readonly lastedMs: number;
  readonly waitedMs: number;
  readonly views: number;
  readonly actions: number;
  readonly errors: number;
  readonly crashes: number;
  readonly signs: Readonly<Record<SignKind, number>>;
}

export const VISIT_ORDERS = ['struggle', 'waited', 'errors', 'latest', 'longest'] as const;
export type VisitOrder = (typeof VISIT_ORDERS)[number];

/** The visits that began in the window, in an order: those that stand first, and how many there are. */
export function visitRows(
  slots: readonly NarrowedSlot[],
  scope: VisitScope,
  order: VisitOrder,
  most: number,
): { readonly total: number; readonly rows: VisitRow[]; readonly waited: Float64Array } {
  const best = new Best(most);
  const waited = new Float64Array(slots.reduce((sum, { visits }) => sum + visits.rows, 0));
  let total = 0;
  for (const [slot, { fromMs, visits, passes }] of slots.entries()) {
    const column = (name: string) => codesOf(visits, name).values;
    const [at, lasted, waiting, errors, crashes] = ['at', 'lasted', 'waited', 'errors', 'crashes'].map(column);
    const signs = SIGNS.map(column);
    const rankOf: Record<VisitOrder, (row: number) => number> = {
      struggle: (row) =>
        (signs.reduce((sum, it) => sum + it[row], 0) + crashes[row]) * 1e6 +
        errors[row] * 1e5 +
        Math.min(1e5, waiting[row] / 100),
      waited: (row) => waiting[row],
      errors: (row) => crashes[row] * 1e6 + errors[row],
      latest: (row) => fromMs + at[row],
      longest: (row) => lasted[row],
    };
    const rank = rankOf[order];
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      waited[total++] = waiting[row];
      best.offer(rank(row), slot, row);
    }
  }
  return {
    total,
    waited: waited.subarray(0, total).sort(),
    rows: best.sorted().map(({ slot, row }) => rowOf(slots[slot], row)),
  };
}

interface Ranked {
  readonly rank: number;
  readonly slot: number;
  readonly row: number;
}

/** Keeps those of the highest rank, of any number that are offered. */
class Best {
  readonly #most: number;
  #held: Ranked[] = [];
  #least = Number.NEGATIVE_INFINITY;

  constructor(most: number) {
    this.#most = most;
  }

  offer(rank: number, slot: number, row: number): void {
    if (rank <= this.#least) return;
    this.#held.push({ rank, slot, row });
    if (this.#held.length >= 8 * this.#most) this.#cut();
  }

  sorted(): readonly Ranked[] {
    this.#cut();
    return this.#held;
  }

  #cut(): void {
    this.#held = this.#held.sort((a, b) => b.rank - a.rank).slice(0, this.#most);
    if (this.#held.length === this.#most) this.#least = this.#held[this.#most - 1].rank;
  }
}

function rowOf({ fromMs, visits }: NarrowedSlot, row: number): VisitRow {
  const text = (name: string) => {
    const { texts, values } = codesOf(visits, name);
    return texts[values[row] - 1] ?? '';
  };
  const number = (name: string) => codesOf(visits, name).values[row];
  return {
    session: text('session'),
    facets: Object.fromEntries(FACETS.map((facet) => [facet, text(facet)])) as Record<Facet, string>,
    user: text('user'),
    at: fromMs + number('at'),
    lastedMs: number('lasted'),
    waitedMs: number('waited'),
    views: number('views'),
    actions: number('actions'),
    errors: number('errors'),
    crashes: number('crashes'),
    signs: Object.fromEntries(SIGNS.map((sign) => [sign, number(sign)])) as Record<SignKind, number>,
  };
}
