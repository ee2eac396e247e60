import { AsyncLocalStorage } from 'node:async_hooks';

/** Why an answer is not of all requests of its scope. */
export interface LeftOut {
  /** Requests whose spans would have to be read to find out whether they fit. */
  unread: number;
  /** Stretches of ten minutes whose columns are still being built. */
  building: number;
}

const notes = new AsyncLocalStorage<LeftOut>();

/** Runs `work` and says what it had to leave out. */
export async function withLeftOut<T>(work: () => Promise<T>): Promise<{ result: T; leftOut: LeftOut }> {
  const leftOut: LeftOut = { unread: 0, building: 0 };
  const result = await notes.run(leftOut, work);
  return { result, leftOut };
}

/** Notes what was left out of the answer that is being worked out. Its parts leave out the same: the most counts. */
export function noteLeftOut({ unread, building }: LeftOut): void {
  const own = notes.getStore();
  if (!own) return;
  own.unread = Math.max(own.unread, unread);
  own.building = Math.max(own.building, building);
}
