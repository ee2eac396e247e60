import { codesOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { LEAST_LOADS } from '../worse.ts';
import { viewRows } from './pageFigures.ts';
import { ValueCounts } from './valueCounts.ts';

const HOUR_MS = 3_600_000;
/** Of fewer hours the best and the worst are only two of a few. */
const LEAST_HOURS = 6;

/** The loads of one full hour. */
export interface VisitHour {
  /** Epoch milliseconds; it ends an hour later. */
  readonly fromMs: number;
  readonly loads: number;
  /** Milliseconds until ready. */
  readonly p75: number;
}

/** The loads of many hours, hour by hour: what was best and worst over a longer time than the windows. */
export class VisitHours {
  readonly #fromMs: number;
  readonly #hours: ValueCounts[];

  /** Full hours alone are looked at. @param fromMs, toMs epoch milliseconds, `toMs` exclusive */
  constructor(fromMs: number, toMs: number) {
    this.#fromMs = Math.ceil(fromMs / HOUR_MS) * HOUR_MS;
    const hours = Math.max(0, Math.floor((toMs - this.#fromMs) / HOUR_MS));
    this.#hours = Array.from({ length: hours }, () => new ValueCounts());
  }

  /** Adds the views of a part of the time. A view must be within one part only. */
  add(slots: readonly NarrowedSlot[], scope: VisitScope): void {
    for (const slot of slots) {
      const { fromMs, visits, views } = slot;
      const begin = codesOf(visits, 'at').values;
      const [visit, at, ready] = ['visit', 'at', 'ready'].map((name) => codesOf(views, name).values);
      const rows = viewRows(slot, scope);
      for (let place = 0; place < rows.length; place++) {
        const row = rows[place];
        if (ready[row] === 0) continue;
        const hour = Math.floor((fromMs + begin[visit[row]] + at[row] - this.#fromMs) / HOUR_MS);
        this.#hours[hour]?.add(Math.round((ready[row] - 1) / 1_000));
      }
    }
  }

  /** The hours with enough loads to say something, the earliest first. */
  hours(): VisitHour[] {
    return this.#hours.flatMap((ready, at) =>
      ready.total < LEAST_LOADS ? [] : [{ fromMs: this.#fromMs + at * HOUR_MS, loads: ready.total, p75: ready.quantile(0.75) }],
    );
  }
}

/** The best and the worst of some hours by p75, and what half of them lay under; undefined where they are too few to say. */
export function extremesOf(
  hours: readonly VisitHour[],
): { readonly best: VisitHour; readonly worst: VisitHour; readonly median: number } | undefined {
  if (hours.length < LEAST_HOURS) return undefined;
  // Of equal ones the later.
  const ordered = [...hours].sort((a, b) => a.p75 - b.p75 || b.fromMs - a.fromMs);
  const half = ordered.length / 2;
  const median = (ordered[Math.ceil(half) - 1].p75 + ordered[Math.floor(half)].p75) / 2;
  const worstMs = ordered[ordered.length - 1].p75;
  return { best: ordered[0], worst: ordered.find(({ p75 }) => p75 === worstMs)!, median };
}
