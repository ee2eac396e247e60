import { codesOf } from '../../columns/segment.ts';
import { isMore } from '../../verdict/isMore.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { SIGNS } from '../struggle.ts';
import { isLonger, LEAST_LOADS } from '../worse.ts';
import { type PageSide, type PageSum, pageSide } from './pageFigures.ts';

/** Views of a window. */
export interface VisitViews {
  readonly slots: readonly NarrowedSlot[];
  readonly scope: VisitScope;
}

/** What a stretch of time did to the visitors of an application, on the pages that got worse in it. */
export interface VisitHarm {
  /** Pages that got worse, most seen first. */
  readonly pages: readonly string[];
  /** Different visitors (users; visits that name none) with a view of those that went wrong, was a struggle, or came later than 99 of 100 before. */
  readonly people: number;
  readonly views: number;
  /** Views with an error or crash. */
  readonly failed: number;
  /** Milliseconds that loads were ready later than the mean before, all together. */
  readonly waitingMs: number;
}

/** Apdex is not asked for here. */
const NO_TARGET = 0;

export function harmOfVisits(lit: VisitViews, before: VisitViews): VisitHarm {
  const [now, then] = [pageSide(lit.slots, lit.scope, NO_TARGET), pageSide(before.slots, before.scope, NO_TARGET)];
  const worse = new Map(
    [...now.pages].flatMap(([name, sum]) => {
      const earlier = then.pages.get(name);
      return isWorse(sum, earlier, then.whole)
        ? [[name, { sum, earlier, lateMs: earlier?.ready.quantile(0.99) ?? Number.NaN }]]
        : [];
    }),
  );
  const all = [...worse.values()];
  const total = (of: (it: (typeof all)[number]) => number) => all.reduce((sum, it) => sum + of(it), 0);
  return {
    pages: [...worse.keys()],
    people: peopleOn(lit.slots, now, new Map([...worse].map(([name, { lateMs }]) => [name, lateMs]))),
    views: total(({ sum }) => sum.views),
    failed: total(({ sum }) => sum.errors),
    waitingMs: total(({ sum, earlier }) =>
      earlier && isComparable(sum, earlier) ? Math.max(0, sum.ready.mean - earlier.ready.mean) * sum.ready.total : 0,
    ),
  };
}

function isComparable(now: PageSum, then: PageSum): boolean {
  return now.ready.total >= LEAST_LOADS && then.ready.total >= LEAST_LOADS;
}

/**
 * Later beyond what is worth a word, or more views beyond chance that went wrong or were a struggle.
 *
 * @param whole all pages before: what is usual of one that was not there then
 */
function isWorse(now: PageSum, then: PageSum | undefined, whole: PageSum): boolean {
  const usual = then ?? whole;
  const struggles = (it: PageSum) =>
    Math.min(
      it.views,
      SIGNS.reduce((sum, sign) => sum + it.signs[sign], 0),
    );
  return (
    isMore(now.errors, now.views, usual.errors, usual.views) ||
    isMore(struggles(now), now.views, struggles(usual), usual.views) ||
    (then !== undefined && isComparable(now, then) && isLonger(now.ready.quantile(0.75), then.ready.quantile(0.75)))
  );
}

/** @param lateMs by page that got worse: from where on a load is late; NaN where that is not known */
function peopleOn(slots: readonly NarrowedSlot[], side: PageSide, lateMs: ReadonlyMap<string, number>): number {
  const users = new Set<string>();
  let nameless = 0;
  for (const [place, { visits, views }] of slots.entries()) {
    const page = codesOf(views, 'page');
    const late = page.texts.map((name) => lateMs.get(name));
    const [visit, ready, errors] = ['visit', 'ready', 'errors'].map((name) => codesOf(views, name).values);
    const signs = SIGNS.map((name) => codesOf(views, name).values);
    const user = codesOf(visits, 'user');
    // A visit that names nobody is one row: a mark for each takes less room than its name.
    const isCounted = new Uint8Array(visits.rows);
    for (const row of side.rows[place]) {
      const from = late[page.values[row] - 1];
      if (from === undefined) continue;
      const isLate = ready[row] > 0 && (ready[row] - 1) / 1_000 > from;
      if (errors[row] === 0 && !isLate && signs.every((values) => values[row] === 0)) continue;
      const of = visit[row];
      if (user.values[of] > 0) users.add(user.texts[user.values[of] - 1]);
      else if (isCounted[of] === 0) {
        isCounted[of] = 1;
        nameless++;
      }
    }
  }
  return users.size + nameless;
}
