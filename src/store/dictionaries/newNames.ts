import { AsyncLocalStorage } from 'node:async_hooks';

/** How many names a request brought that were not known before. */
const counter = new AsyncLocalStorage<{ names: number } | undefined>();

/** Runs `work`, and counts the names that dictionaries get by it. */
export async function countingNames<T>(work: () => Promise<T>): Promise<{ readonly result: T; readonly names: number }> {
  const count = { names: 0 };
  return { result: await counter.run(count, work), names: count.names };
}

/** Runs `work` for several requests together: what it adds counts for none of them. */
export function countingNoNames<T>(work: () => Promise<T>): Promise<T> {
  return counter.run(undefined, work);
}

/** Names were added to a dictionary. */
export function noteNewNames(names: number): void {
  const count = counter.getStore();
  if (count) count.names += names;
}
