import type { Process, Simulation } from './simulation.ts';

interface Task {
  left: number;
  readonly goOn: () => void;
}

/** What a processor has done since it was built, in nanoseconds of a core. */
export interface ProcessorFigures {
  readonly used: number;
  /** What it could have used, had its host had the cores for it. */
  readonly stolen: number;
  /** How long some of its tasks waited for a core. */
  readonly pressed: number;
}

/** Cores of a virtual machine, shared evenly by all who compute: with more tasks than cores each gets less than a core. */
export class Processor {
  readonly cores: number;
  readonly #simulation: Simulation;
  readonly #tasks = new Set<Task>();
  readonly #host: Host | undefined;
  /** Cores that the host gives. */
  #given: number;
  #settledAt = 0;
  #plan = 0;
  #used = 0;
  #stolen = 0;
  #pressed = 0;

  constructor(simulation: Simulation, cores: number, host?: Host) {
    this.#simulation = simulation;
    this.cores = cores;
    this.#given = cores;
    this.#host = host;
    host?.take(this);
  }

  get tasks(): number {
    return this.#tasks.size;
  }

  /** Cores that its tasks can make use of at this moment. */
  get demand(): number {
    return Math.min(this.cores, this.#tasks.size);
  }

  get figures(): ProcessorFigures {
    this.#settle();
    return { used: this.#used, stolen: this.#stolen, pressed: this.#pressed };
  }

  /** Computes for so many nanoseconds of a core of one's own. */
  *compute(nanos: number): Process {
    if (nanos <= 0) return;
    yield (goOn) => {
      this.#settle();
      this.#tasks.add({ left: nanos, goOn });
      this.#changed();
    };
  }

  /** The host gives it so many cores from now on. */
  give(cores: number): void {
    if (cores === this.#given) return;
    this.#settle();
    this.#given = cores;
    this.#planNext();
  }

  get #rate(): number {
    return Math.min(1, this.#given / this.#tasks.size);
  }

  #settle(): void {
    const passed = this.#simulation.now - this.#settledAt;
    this.#settledAt = this.#simulation.now;
    if (passed === 0 || this.#tasks.size === 0) return;
    const done = passed * this.#rate;
    for (const task of this.#tasks) task.left -= done;
    this.#used += done * this.#tasks.size;
    this.#stolen += passed * (this.demand - this.#rate * this.#tasks.size);
    if (this.#rate < 1) this.#pressed += passed;
  }

  #changed(): void {
    this.#host?.share();
    this.#planNext();
  }

  #planNext(): void {
    if (this.#tasks.size === 0) return;
    let least = Number.POSITIVE_INFINITY;
    for (const task of this.#tasks) if (task.left < least) least = task.left;
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
    this.#changed();
    for (const task of ready) task.goOn();
  }
}

/** What a host does by itself. */
export interface HostWork {
  readonly cores: number;
  /** MiB that it reads in a second. */
  readonly reads: number;
  /** MiB. */
  readonly memory: number;
}

const LITTLE_MEMORY = 180;
/** MiB that work on a core reads in a second, unless it is said otherwise. */
const READS_BY_CORE = 35;

/** A machine of iron: its virtual machines share its cores. What the host itself does comes first, and is stolen from them. */
export class Host {
  readonly cores: number;
  /** Part of what it sends and is sent that is lost on its link. */
  lost = 0;
  /** How much longer a visit to its disk takes than usual. */
  diskSlower = 1;
  /** How long what computes waits for pages that were moved out of memory, as a part of what it computes. */
  paging = 0;
  readonly #guests: Processor[] = [];
  readonly #jobs = new Map<string, HostWork>();
  #isScarce = false;

  constructor(cores: number) {
    this.cores = cores;
  }

  take(guest: Processor): void {
    this.#guests.push(guest);
  }

  get guests(): readonly Processor[] {
    return this.#guests;
  }

  /** Cores that the host keeps to itself. */
  get own(): number {
    return Math.min(
      [...this.#jobs.values()].reduce((sum, { cores }) => sum + cores, 0),
      this.cores - 0.05,
    );
  }

  /** What it does by itself. */
  get jobs(): ReadonlyMap<string, HostWork> {
    return this.#jobs;
  }

  /** Begins to work on something of its own. @returns what ends it */
  work(
    job: string,
    cores: number,
    { reads = READS_BY_CORE * cores, memory = LITTLE_MEMORY }: Partial<HostWork> = {},
  ): () => void {
    this.#jobs.set(job, { cores, reads, memory });
    this.share();
    return () => {
      this.#jobs.delete(job);
      this.share();
    };
  }

  /** Gives every guest its part: what it can use, as long as there is enough, else evenly up to that. */
  share(): void {
    const room = this.cores - this.own;
    const demand = this.#guests.reduce((sum, guest) => sum + guest.demand, 0);
    const isScarce = demand > room;
    if (!isScarce && !this.#isScarce) return;
    this.#isScarce = isScarce;
    if (!isScarce) {
      for (const guest of this.#guests) guest.give(guest.cores);
      return;
    }
    let left = room;
    const hungry = this.#guests.filter((guest) => guest.demand > 0).sort((a, b) => a.demand - b.demand);
    for (const [at, guest] of hungry.entries()) {
      const part = Math.min(guest.demand, left / (hungry.length - at));
      guest.give(part);
      left -= part;
    }
  }
}
