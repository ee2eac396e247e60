import type { Process } from './simulation.ts';

/** Lets so many through at a time, the rest wait in order of arrival: workers of an instance, connections of a pool. */
export class Gate {
  readonly #size: number;
  readonly #waiting: (() => void)[] = [];
  #inside = 0;

  constructor(size: number) {
    this.#size = size;
  }

  *enter(): Process {
    if (this.#inside < this.#size) {
      this.#inside++;
      return;
    }
    // Whoever leaves hands the place on, so the number inside stays.
    yield (goOn) => this.#waiting.push(goOn);
  }

  leave(): void {
    const next = this.#waiting.shift();
    if (next) next();
    else this.#inside--;
  }
}
