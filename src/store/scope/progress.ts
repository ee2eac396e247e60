import { AsyncLocalStorage } from 'node:async_hooks';

/** How far an answer is that goes through stored records several times. */
interface Work {
  readonly report: (done: number, of: number) => void;
  /** Readings that are expected; more than begun so far, or as many. */
  expected: number;
  begun: number;
}

const storage = new AsyncLocalStorage<Work>();

/** Parts of the whole that are told apart: what is counted are thousandths of it. */
const WHOLE = 1_000;

/** Does some work and says how far it is. @param report is given thousandths that are done, and a thousand */
export function withProgress<T>(report: ((done: number, of: number) => void) | undefined, work: () => Promise<T>): Promise<T> {
  return report ? storage.run({ report, expected: 1, begun: 0 }, work) : work();
}

/** Says how many readings there will be. Work after the last reading counts as readings too. */
export function expectReadings(count: number): void {
  const own = storage.getStore();
  if (own) own.expected = Math.max(own.expected, own.begun, count);
}

/** Begins to go through records. @returns to be told how many of how many stretches of time are done */
export function beginReading(): (done: number, of: number) => void {
  const own = storage.getStore();
  if (!own) return () => {};
  const before = own.begun++;
  own.expected = Math.max(own.expected, own.begun);
  return (done, of) => own.report(Math.floor((WHOLE * (before + done / Math.max(1, of))) / own.expected), WHOLE);
}
