import { setImmediate as breathe } from 'node:timers/promises';

/** So many are worked out before others get their turn. */
const BREATH = 20;

/** What `work` makes of each of many items, in order, with room for other questions in between. */
export async function breathing<T, R>(items: readonly T[], work: (item: T) => R): Promise<R[]> {
  const done: R[] = [];
  for (const [at, item] of items.entries()) {
    if (at % BREATH === BREATH - 1) await breathe();
    done.push(work(item));
  }
  return done;
}
