let last: Promise<void> = Promise.resolve();

/**
 * Waits for one's turn to be drawn. Pages whose data have come at once are drawn one after the other, and what has come meanwhile is seen to
 * between two of them: who sends then waits for one page, and not for all.
 */
export function inTurn(): Promise<void> {
  last = last.then(() => new Promise((done) => setImmediate(done)));
  return last;
}
