import { codesOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';

/** What the visits of an application, or of all, came to in a window. */
export interface VisitCounts {
  visits: number;
  views: number;
  actions: number;
  resources: number;
  errors: number;
  crashes: number;
  /** Visits with a crash; with an error or crash; with a sign of struggle. */
  crashed: number;
  faulty: number;
  struggling: number;
  waitedMs: number;
  masked: number;
}

/** Counts of the visits that began in the window, by application; those with most visits first. */
export function appsIn(slots: readonly NarrowedSlot[], scope: VisitScope): Map<string, VisitCounts> {
  const found = new Map<string, VisitCounts>();
  for (const { fromMs, visits, passes } of slots) {
    const app = codesOf(visits, 'app');
    const column = (name: string) => codesOf(visits, name).values;
    const [at, views, actions, resources, errors, crashes, waited, masked] = [
      'at',
      'views',
      'actions',
      'resources',
      'errors',
      'crashes',
      'waited',
      'masked',
    ].map(column);
    const [knocking, unanswered, turned] = ['knocking', 'no answer', 'turned away'].map(column);
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const name = app.texts[app.values[row] - 1] ?? '';
      let it = found.get(name);
      if (!it) {
        it = noVisits();
        found.set(name, it);
      }
      it.visits++;
      it.views += views[row];
      it.actions += actions[row];
      it.resources += resources[row];
      it.errors += errors[row];
      it.crashes += crashes[row];
      it.waitedMs += waited[row];
      it.masked += masked[row];
      if (crashes[row] > 0) it.crashed++;
      if (errors[row] + crashes[row] > 0) it.faulty++;
      if (knocking[row] + unanswered[row] + turned[row] > 0) it.struggling++;
    }
  }
  return new Map([...found].sort((a, b) => b[1].visits - a[1].visits));
}

export function noVisits(): VisitCounts {
  return {
    visits: 0,
    views: 0,
    actions: 0,
    resources: 0,
    errors: 0,
    crashes: 0,
    crashed: 0,
    faulty: 0,
    struggling: 0,
    waitedMs: 0,
    masked: 0,
  };
}
