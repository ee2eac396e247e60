import type { ServiceForm } from '../company/services.ts';
import { Gate } from '../simulation/gate.ts';
import type { Host, Processor } from '../simulation/processor.ts';
import type { Process, Simulation } from '../simulation/simulation.ts';
import { MIB, MS } from '../simulation/units.ts';
import type { Database, Session } from './database.ts';
import { Histogram, HOLD_BOUNDS, InstanceMeters } from './meters.ts';

/** A virtual machine: cores that what runs on it shares, and a clock that may be off. */
export interface Machine {
  /** What computes there that is none of the company's, with the tasks that it keeps running. */
  readonly neighbours: Map<string, number>;
  /** Used part of its file system. */
  full: number;
  readonly name: string;
  readonly host: string;
  readonly processor: Processor;
  readonly iron: Host;
  /** Added to true time in what is reported from here, nanoseconds. */
  readonly clockOff: number;
}

/** How many bytes a program allocates in a nanosecond of computing, by its language. */
const ALLOCATES: Readonly<Record<ServiceForm['language'], number>> = { java: 0.9, nodejs: 0.6, go: 0.3, python: 0.25 };
/** What is allocated between two collections of the young, and how many of those there are to one of the old. */
const YOUNG = 48 * MIB;
const YOUNG_TO_OLD = 60;
/** Part of its limit beyond which a runtime collects at once. */
const COLLECTED_AT = 0.86;
/** A quota is of so long. */
const QUOTA_PERIOD = 100 * MS;
/** Part of what is allocated that lives until the old are collected. */
const SURVIVES = 0.004;

/** One running copy of a service, in a pod of its own. */
export class Instance {
  readonly id: string;
  readonly service: string;
  readonly form: ServiceForm;
  readonly machine: Machine;
  readonly workers: Gate;
  /** In Node.js one thread computes for all requests. */
  readonly loop: Gate | undefined;
  readonly pool: Pool | undefined;
  readonly meters = new InstanceMeters();
  /** Bytes that something holds on to, beside what is collected. */
  leaked = 0;
  restarts = 0;
  isUp = true;
  /** What it has computed since it was built, nanoseconds of a core. */
  computed = 0;
  /** Cores that its container may use, when that is less than it needs. */
  quota: number | undefined;
  /** Grows when the process is another: what was under way before is lost. */
  life = 0;
  /** Computing takes longer while a process is new: code that is not compiled, caches that are empty. */
  coldUntil = 0;
  resource: Readonly<Record<string, string>>;
  readonly #simulation: Simulation;
  #young = 0;
  #youngCollections = 0;
  #survived = 0;
  #pausedUntil = 0;
  /** What is left of its quota, nanoseconds of a core, and when that was so. */
  #left = 0;
  #leftAt = 0;

  constructor(
    simulation: Simulation,
    service: string,
    form: ServiceForm,
    at: number,
    machine: Machine,
    database: Database | undefined,
  ) {
    this.#simulation = simulation;
    this.id = `${service}-${at + 1}`;
    this.service = service;
    this.form = form;
    this.machine = machine;
    this.workers = new Gate(simulation, form.workers);
    this.loop = form.language === 'nodejs' ? new Gate(simulation, 1) : undefined;
    this.pool = form.pool && database ? new Pool(simulation, database, form.pool.size, this.id) : undefined;
    this.resource = {
      'service.name': service,
      'service.namespace': form.team,
      'service.version': form.version,
      'service.instance.id': this.id,
      'deployment.environment.name': 'reach-live',
      'host.name': machine.name,
      'container.name': this.id,
      'telemetry.sdk.language': form.language,
    };
  }

  get version(): string {
    return this.resource['service.version'];
  }

  /** Which program it runs. */
  get running() {
    return { service: this.service, language: this.form.language, version: this.version };
  }

  /** Bytes that the process takes. */
  get memory(): number {
    const base = this.form.memory[0] * 0.55 * MIB;
    return base + this.#young * 0.5 + this.#survived + this.leaked;
  }

  /** What the system counts of them: a runtime collects before its limit is reached, so that only what is held on to fills a pod. */
  get resident(): number {
    const limit = this.form.memory[1] * MIB;
    return Math.min(limit, this.leaked + Math.min(this.memory - this.leaked, COLLECTED_AT * limit));
  }

  /** Another version, in a new process. */
  renew(version: string): void {
    this.resource = { ...this.resource, 'service.version': version };
    this.restart(40_000 * MS);
  }

  /** A new process; the code of one is cold for a while. */
  restart(coldFor: number): void {
    this.life++;
    this.leaked = 0;
    this.#young = 0;
    this.#survived = 0;
    this.coldUntil = this.#simulation.now + coldFor;
  }

  /** Computes, in its turn where there is one thread, and not while garbage is collected. */
  *compute(nanos: number, allocatesMore = 1): Process {
    const cold = this.#simulation.now < this.coldUntil ? 1.6 : 1;
    const came = this.#simulation.now;
    if (this.loop) yield* this.loop.enter();
    if (this.#pausedUntil > this.#simulation.now) yield* this.#simulation.sleep(this.#pausedUntil - this.#simulation.now);
    if (this.loop) this.meters.loopDelay(this.#simulation.now - came);
    const began = this.#simulation.now;
    yield* this.machine.processor.compute(nanos * cold);
    this.meters.cpu += nanos * cold;
    this.computed += nanos * cold;
    this.meters.cpuWait += Math.max(0, this.#simulation.now - began - nanos * cold);
    const { paging } = this.machine.iron;
    if (paging > 0) yield* this.#simulation.sleep(nanos * cold * paging);
    const throttled = this.#throttle(nanos * cold);
    if (throttled > 0) yield* this.#simulation.sleep(throttled);
    this.loop?.leave();
    this.allocate(nanos * ALLOCATES[this.form.language] * allocatesMore);
  }

  /** How long it must stop, since it has used more than its quota. */
  #throttle(used: number): number {
    if (this.quota === undefined) return 0;
    const { now } = this.#simulation;
    this.#left = Math.min(this.quota * QUOTA_PERIOD, this.#left + this.quota * (now - this.#leftAt)) - used;
    this.#leftAt = now;
    const wait = Math.max(0, -this.#left / this.quota);
    this.meters.throttled += wait;
    return wait;
  }

  allocate(bytes: number): void {
    this.meters.allocated += bytes;
    this.#young += bytes;
    this.#survived += bytes * SURVIVES;
    if (this.#young < YOUNG) return;
    this.#young = 0;
    this.#youngCollections++;
    const isOld = this.#youngCollections % YOUNG_TO_OLD === 0;
    // Only the JVM stops for long; what survived is gone over then.
    const factor = this.form.language === 'java' ? 1 : 0.25;
    const pause = factor * (isOld ? 40 * MS + (this.#survived / MIB) * 1.5 * MS : 3 * MS + (this.#survived / MIB) * 0.08 * MS);
    if (isOld) this.#survived = 0;
    this.pause(pause, isOld ? 'old' : 'young');
  }

  /** Stops for so long, to collect garbage. */
  pause(nanos: number, generation: 'young' | 'old'): void {
    this.#pausedUntil = Math.max(this.#pausedUntil, this.#simulation.now) + nanos;
    this.meters.gc(generation, nanos);
  }
}

/** Connections that an instance keeps to a database: a place in the pool, and the session behind it. */
export class Pool {
  readonly gate: Gate;
  readonly database: Database;
  readonly #owner: string;
  readonly #free: Session[] = [];
  readonly #taken = new Map<Session, number>();
  readonly #simulation: Simulation;
  #figures = noFigures();

  constructor(simulation: Simulation, database: Database, size: number, owner: string) {
    this.gate = new Gate(simulation, size);
    this.database = database;
    this.#owner = owner;
    this.#simulation = simulation;
  }

  /** Waits for a connection; undefined when none was free in time. */
  *take(simulation: Simulation, patience: number): Process<Session | undefined> {
    const came = simulation.now;
    const got = yield* this.gate.enter(patience);
    this.#figures.waited.add(simulation.now - came);
    if (!got) {
      this.#figures.timeouts++;
      return undefined;
    }
    const service = this.#owner.replace(/-\d+$/, '');
    const session = this.#free.pop() ?? this.database.open(service, service, this.#owner);
    this.#taken.set(session, simulation.now);
    return session;
  }

  giveBack(session: Session): void {
    this.#figures.held.add(this.#simulation.now - (this.#taken.get(session) ?? this.#simulation.now));
    this.#taken.delete(session);
    this.#free.push(session);
    this.gate.leave();
  }

  /** How long connections were waited for and held, and how many gave up waiting, since this was asked last. */
  takeFigures(): PoolFigures {
    const figures = this.#figures;
    this.#figures = noFigures();
    return figures;
  }
}

interface PoolFigures {
  readonly waited: Histogram;
  readonly held: Histogram;
  timeouts: number;
}

function noFigures(): PoolFigures {
  return { waited: new Histogram(HOLD_BOUNDS), held: new Histogram(HOLD_BOUNDS), timeouts: 0 };
}
