import type { Process, Simulation } from './simulation.ts';

/** What has happened at a gate since it was built; times in nanoseconds. */
export interface GateFigures {
  readonly entered: number;
  /** Sum of the times spent waiting by those who entered. */
  readonly waited: number;
  /** Integral over time of how many were inside, and of how many waited: in units times nanoseconds. */
  readonly insideArea: number;
  readonly waitingArea: number;
}

/** Lets so many through at a time, the rest wait in order of arrival: workers of an instance, connections of a pool. */
export class Gate {
  readonly #simulation: Simulation;
  readonly #waiting: { readonly goOn: () => void; readonly since: number }[] = [];
  #size: number;
  #inside = 0;
  #settledAt = 0;
  #entered = 0;
  #waited = 0;
  #insideArea = 0;
  #waitingArea = 0;

  constructor(simulation: Simulation, size: number) {
    this.#simulation = simulation;
    this.#size = size;
  }

  get size(): number {
    return this.#size;
  }

  get inside(): number {
    return this.#inside;
  }

  get waiting(): number {
    return this.#waiting.length;
  }

  get figures(): GateFigures {
    this.#settle();
    return { entered: this.#entered, waited: this.#waited, insideArea: this.#insideArea, waitingArea: this.#waitingArea };
  }

  /** Waits for a place. Gives whether there was one within `patience` nanoseconds; without patience, one waits for ever. */
  *enter(patience = Number.POSITIVE_INFINITY): Process<boolean> {
    this.#settle();
    if (this.#inside < this.#size) {
      this.#inside++;
      this.#entered++;
      return true;
    }
    let gaveUp = false;
    const since = this.#simulation.now;
    yield (goOn) => {
      const place = { goOn, since };
      this.#waiting.push(place);
      if (patience === Number.POSITIVE_INFINITY) return;
      this.#simulation.at(since + patience, () => {
        const at = this.#waiting.indexOf(place);
        if (at < 0) return;
        this.#settle();
        this.#waiting.splice(at, 1);
        gaveUp = true;
        goOn();
      });
    };
    return !gaveUp;
  }

  leave(): void {
    this.#settle();
    this.#inside--;
    this.#admit();
  }

  /** Another number of places from now on. Whoever is inside stays. */
  resize(size: number): void {
    this.#settle();
    this.#size = size;
    this.#admit();
  }

  #admit(): void {
    while (this.#inside < this.#size && this.#waiting.length > 0) {
      const { goOn, since } = this.#waiting.shift()!;
      this.#inside++;
      this.#entered++;
      this.#waited += this.#simulation.now - since;
      goOn();
    }
  }

  #settle(): void {
    const passed = this.#simulation.now - this.#settledAt;
    this.#insideArea += this.#inside * passed;
    this.#waitingArea += this.#waiting.length * passed;
    this.#settledAt = this.#simulation.now;
  }
}
