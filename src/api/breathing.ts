import { setImmediate as breathe } from 'node:timers/promises';

/** Items per slice, before the event loop gets to run. */
const BATCH = 20;

/** What `work` makes of each of many items, in order, with room for other questions in between. */
export async function yieldToEventLoop<T, R>(items: readonly T[], work: (item: T) => R): Promise<R[]> {
  const done: R[] = [];
  for (const [at, item] of items.entries()) {
    if (at % BATCH === BATCH - 1) await breathe();
    done.push(work(item));
  }
  return done;
}
