import type { Process, Simulation } from './simulation.ts';

interface Task {
  left: number;
  goOn: () => void;
}

/** CPU cores shared evenly by all who compute: with more tasks than cores each gets less than a core. */
export class Processor {
  readonly #simulation: Simulation;
  readonly #cores: number;
  readonly #tasks = new Set<Task>();
  #settledAt = 0;
  #plan = 0;

  constructor(simulation: Simulation, cores: number) {
    this.#simulation = simulation;
    this.#cores = cores;
  }

  /** Computes for so many nanoseconds of a core of one's own. */
  *compute(nanos: number): Process {
    if (nanos <= 0) return;
    yield (goOn) => {
      this.#settle();
      this.#tasks.add({ left: nanos, goOn });
      this.#planNext();
    };
  }

  get #rate(): number {
    return Math.min(1, this.#cores / this.#tasks.size);
  }

  #settle(): void {
    const done = (this.#simulation.now - this.#settledAt) * this.#rate;
    for (const task of this.#tasks) task.left -= done;
    this.#settledAt = this.#simulation.now;
  }

  #planNext(): void {
    if (this.#tasks.size === 0) return;
    const least = Math.min(...[...this.#tasks].map((task) => task.left));
    const plan = ++this.#plan;
    this.#simulation.at(this.#simulation.now + Math.ceil(least / this.#rate), () => {
      // A task that came or went since has made a newer plan.
      if (plan === this.#plan) this.#finish();
    });
  }

  #finish(): void {
    this.#settle();
    const ready = [...this.#tasks].filter((task) => task.left < 1);
    for (const task of ready) this.#tasks.delete(task);
    this.#planNext();
    for (const task of ready) task.goOn();
  }
}
