import { FairQueue } from '../../core/turns/fairQueue.ts';

const waiting = new FairQueue<() => void>();
let isLetting = false;

/**
 * Waits for one's turn to be drawn. Pages whose data have come at once are drawn one after the other, one of each owner in turn, so that one
 * who opens many does not keep the others waiting; and what has come meanwhile is seen to between two of them.
 *
 * @param owner for whom the page is
 */
export function inTurn(owner: string): Promise<void> {
  return new Promise((draw) => {
    waiting.push({ task: draw, owner });
    if (isLetting) return;
    isLetting = true;
    setImmediate(letNext);
  });
}

function letNext(): void {
  const draw = waiting.pop();
  isLetting = draw !== undefined;
  if (!draw) return;
  draw();
  // A page begins to be drawn after this: what it leaves for later comes before the next one.
  setImmediate(() => setImmediate(letNext));
}
