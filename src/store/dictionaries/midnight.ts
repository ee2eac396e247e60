import { today } from '../retention/days.ts';

/**
 * For whoever remembers ids of a dictionary's rows: after each midnight (UTC) they have to be looked up anew, since that marks the rows as
 * in use (see `seen` of the schema), and one that was not used for long may be gone.
 */
export class Midnight {
  #day = today();

  /** Whether a day has begun since this was last asked. */
  hasPassed(): boolean {
    const day = today();
    const hasPassed = day !== this.#day;
    this.#day = day;
    return hasPassed;
  }
}
