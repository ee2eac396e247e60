import { codesOf } from '../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from './slotVisits.ts';
import { SIGNS, type SignKind } from './struggle.ts';
import { FACETS, type Facet } from './visitColumns.ts';

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
  const all: { slot: number; row: number; rank: number }[] = [];
  const waited: number[] = [];
  for (const [slot, { fromMs, visits, passes }] of slots.entries()) {
    const column = (name: string) => codesOf(visits, name).values;
    const [at, lasted, waiting, errors, crashes] = ['at', 'lasted', 'waited', 'errors', 'crashes'].map(column);
    const signs = SIGNS.map(column);
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      waited.push(waiting[row]);
      const struggle = signs.reduce((sum, it) => sum + it[row], 0);
      const rank = {
        struggle: struggle * 1e6 + crashes[row] * 1e6 + errors[row] * 1e5 + Math.min(1e5, waiting[row] / 100),
        waited: waiting[row],
        errors: crashes[row] * 1e6 + errors[row],
        latest: time,
        longest: lasted[row],
      }[order];
      all.push({ slot, row, rank });
    }
  }
  all.sort((a, b) => b.rank - a.rank);
  return {
    total: all.length,
    waited: Float64Array.from(waited).sort(),
    rows: all.slice(0, most).map(({ slot, row }) => rowOf(slots[slot], row)),
  };
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
