/** What a process waits for: it is handed the way to go on, and whoever holds that calls it once. */
export type Wait = (goOn: () => void) => void;
/** A course of events in simulated time; it yields to wait. What it returns or throws reaches whoever called it with `yield*`. */
export type Process<T = void> = Generator<Wait, T, void>;

interface Event {
  readonly at: number;
  /** Events of one moment happen in the order they were planned. */
  readonly turn: number;
  readonly happen: () => void;
}

/** A process whose outcome somebody waits for, though not for ever. */
class Course<T> {
  outcome: { readonly value: T } | { readonly error: unknown } | undefined;
  onEnd: (() => void) | undefined;
  readonly #process: Process<T>;

  constructor(process: Process<T>) {
    this.#process = process;
  }

  *run(): Process {
    try {
      this.outcome = { value: yield* this.#process };
    } catch (error) {
      this.outcome = { error };
    }
    this.end();
  }

  /** Whoever waits goes on, once. */
  end(): void {
    const goOn = this.onEnd;
    this.onEnd = undefined;
    goOn?.();
  }
}

/** A discrete-event simulation: a clock that jumps from event to event. Time is in whole nanoseconds from the start. */
export class Simulation {
  #now = 0;
  #turn = 0;
  readonly #planned: Event[] = [];

  get now(): number {
    return this.#now;
  }

  /** Plans something; never before now. */
  at(time: number, happen: () => void): void {
    const heap = this.#planned;
    const event = { at: Math.max(Math.round(time), this.#now), turn: this.#turn++, happen };
    let at = heap.push(event) - 1;
    while (at > 0) {
      const up = (at - 1) >> 1;
      if (!isBefore(heap[at], heap[up])) break;
      [heap[at], heap[up]] = [heap[up], heap[at]];
      at = up;
    }
  }

  /** Starts a process now. An error it lets go stops the simulation: none is expected. */
  start(process: Process): void {
    this.at(this.#now, () => goOn(process));
  }

  *sleep(nanos: number): Process {
    yield (goOn) => this.at(this.#now + nanos, goOn);
  }

  /** Runs processes beside each other and waits for all. The first error is thrown when all have ended. */
  *together(processes: readonly Process[]): Process {
    let open = processes.length;
    const errors: unknown[] = [];
    let allDone: () => void = () => {};
    const guarded = function* (process: Process): Process {
      try {
        yield* process;
      } catch (error) {
        errors.push(error);
      }
      open--;
      if (open === 0) allDone();
    };
    for (const process of processes) this.start(guarded(process));
    yield (goOn) => {
      allDone = goOn;
    };
    if (errors.length > 0) throw errors[0];
  }

  /** Runs a process beside the one that calls, and waits for it no longer than `patience` nanoseconds. What is given up on goes on by itself. */
  *within<T>(patience: number, process: Process<T>): Process<{ readonly value: T } | undefined> {
    const course = new Course(process);
    yield (wake) => {
      course.onEnd = wake;
      this.start(course.run());
      this.at(this.#now + patience, () => course.end());
    };
    const { outcome } = course;
    if (outcome && 'error' in outcome) throw outcome.error;
    return outcome;
  }

  /** Lets what is planned happen, up to a time, and moves the clock there. */
  runUntil(time: number): void {
    while (this.#planned.length > 0 && this.#planned[0].at <= time) {
      const event = this.#next()!;
      this.#now = event.at;
      event.happen();
    }
    this.#now = Math.max(this.#now, Math.round(time));
  }

  /** Lets everything planned happen. */
  run(): void {
    for (let event = this.#next(); event; event = this.#next()) {
      this.#now = event.at;
      event.happen();
    }
  }

  #next(): Event | undefined {
    const heap = this.#planned;
    const first = heap[0];
    const last = heap.pop();
    if (heap.length === 0 || !last) return first;
    heap[0] = last;
    for (let at = 0; ; ) {
      const left = 2 * at + 1;
      let best = at;
      if (left < heap.length && isBefore(heap[left], heap[best])) best = left;
      if (left + 1 < heap.length && isBefore(heap[left + 1], heap[best])) best = left + 1;
      if (best === at) return first;
      [heap[at], heap[best]] = [heap[best], heap[at]];
      at = best;
    }
  }
}

function goOn(process: Process): void {
  const step = process.next();
  if (!step.done) step.value(() => goOn(process));
}

function isBefore(a: Event, b: Event): boolean {
  return a.at < b.at || (a.at === b.at && a.turn < b.turn);
}
