import { setImmediate as others } from 'node:timers/promises';

/** A question that goes through a day of columns lets others have their turn so often: who has left the page is heard then. */
const TURN_MS = 40;

/** Turns of one question. */
export class Breathing {
  #since = performance.now();

  /** Lets others have their turn when this one has had its own. */
  async breathe(): Promise<void> {
    if (performance.now() - this.#since < TURN_MS) return;
    await others();
    this.#since = performance.now();
  }
}
