import { setTimeout as sleep } from 'node:timers/promises';

/** Time between two looks at whether somebody waits. */
const LOOK_MS = 250;
/** Nobody holds the filling up for longer at a time, such as by a page that asks without end. */
const LONGEST_MS = 20_000;
/** Then it goes on for so long at least. */
const TURN_MS = 5_000;

/**
 * Holds the filling up while a person waits for an answer: both need the same processors, and the hours that are missing can come a little later.
 *
 * @param to the application's address
 * @returns what waits until nobody does, to be called often
 */
export function besidePages(to: string): () => Promise<void> {
  const address = new URL('/api/health/ready', to);
  let nextLook = 0;
  return async () => {
    if (Date.now() < nextLook) return;
    const began = Date.now();
    while (await isAsked(address)) {
      if (Date.now() - began > LONGEST_MS) {
        nextLook = Date.now() + TURN_MS;
        return;
      }
      await sleep(LOOK_MS);
    }
    nextLook = Date.now() + LOOK_MS;
  };
}

async function isAsked(address: URL): Promise<boolean> {
  try {
    const answer = await fetch(address, { signal: AbortSignal.timeout(LONGEST_MS) });
    const { analysisAsked } = (await answer.json()) as { analysisAsked?: number };
    return (analysisAsked ?? 0) > 0;
  } catch {
    // Whether it can be reached at all, the sending finds out.
    return false;
  }
}
