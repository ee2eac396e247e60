/*
 * Writers of spans hold a lock, and a thread that holds it does nothing else meanwhile: others wait for it. PostgreSQL's lock would
 * see to the first alone; but that is given to a thread even while it works on something else, and lies idle then. This one is taken by
 * a thread that is there to use it.
 */

const FREE = 0;
const TAKEN = 1;
/** A lock held longer than this is that of a thread which has ended: what is right does not depend on this lock, only what is fast. */
const LONGEST_MS = 2_000;

let state = new Int32Array(new SharedArrayBuffer(4));
let isOurs = false;
const waiting: (() => void)[] = [];

/** The memory that threads with one lock share. */
export function newWriteLock(): SharedArrayBuffer {
  return new SharedArrayBuffer(4);
}

/** Shares the lock with all threads that were given the same memory. */
export function shareWriteLock(turns: SharedArrayBuffer): void {
  state = new Int32Array(turns);
}

/**
 * Does some work that takes the lock at some point, by the function it is given, and holds it until the work is done. What else the
 * thread would begin meanwhile is held back. To take it again changes nothing.
 */
export async function withWriteLock<T>(work: (takeWriteLock: () => Promise<void>) => Promise<T>): Promise<T> {
  let hasWriteLock = false;
  try {
    return await work(async () => {
      if (hasWriteLock) return;
      await taken();
      hasWriteLock = true;
      isOurs = true;
    });
  } finally {
    if (hasWriteLock) {
      isOurs = false;
      Atomics.store(state, 0, FREE);
      Atomics.notify(state, 0, 1);
      for (const begin of waiting.splice(0)) begin();
    }
  }
}

async function taken(): Promise<void> {
  while (Atomics.compareExchange(state, 0, FREE, TAKEN) !== FREE) {
    const { async, value } = Atomics.waitAsync(state, 0, TAKEN, LONGEST_MS);
    if (async && (await value) === 'timed-out') return;
  }
}

/** Resolves when this thread does not hold the lock. */
export async function withoutWriteLock(): Promise<void> {
  while (isOurs) await new Promise<void>((begin) => waiting.push(begin));
}
