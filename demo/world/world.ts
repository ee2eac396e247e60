import { LRUCache } from 'lru-cache';
import type { Attributes, TraceId } from '../../src/core/trace/span.ts';
import { CACHES, DATABASES, HOSTS, MACHINES, PARTNERS, SERVICES } from '../company/services.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import { Host, Processor } from '../simulation/processor.ts';
import type { Simulation } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import type { Output } from '../telemetry/output.ts';
import { Profiler } from '../telemetry/profiler.ts';
import { Cache } from './cache.ts';
import { Database } from './database.ts';
import { Effects } from './effects.ts';
import { Instance, type Machine } from './instance.ts';
import { Queue } from './queue.ts';

/** A partner outside: its answers take a time, and are refused to some. */
export interface Partner {
  readonly name: string;
  readonly median: number;
  /** How much longer it takes at this moment. */
  slower: number;
  /** The status that it answers to a caller; undefined for an ordinary answer. */
  refuses: (about: Attributes) => number | undefined;
}

/** What a request does at a moment: it computes a step of the code, or waits under a span. */
export interface Doing {
  readonly name: string;
  readonly spanId: string | null;
  readonly computes: boolean;
  readonly attributes: Attributes;
  /** Since when, simulated nanoseconds. */
  readonly since: number;
}

/** A request that has not ended: what was asked of whom, and what is done for it now. */
export interface UnderWay {
  readonly instance: Instance;
  readonly traceId: string;
  readonly operation: string;
  readonly began: number;
  /** Of the runtime; empty as long as no worker is free. */
  thread: string;
  /** What is open, the innermost last. */
  readonly doing: Doing[];
}

/** How a request ended, and when; simulated nanoseconds. */
export interface EndedRequest {
  readonly operation: string;
  readonly status: number;
  readonly began: number;
  readonly ended: number;
}

/** The company: what runs where, what it has at hand, and what is wrong with it at this moment. */
export interface World {
  readonly simulation: Simulation;
  /** Epoch nanoseconds of simulated time 0. */
  readonly epoch: bigint;
  /** For what belongs to no request. */
  readonly chance: Chance;
  /** For the ids of traces: one source for all, so that no two are the same. */
  readonly ids: Chance;
  readonly hosts: ReadonlyMap<string, Host>;
  readonly machines: ReadonlyMap<string, Machine>;
  readonly instances: ReadonlyMap<string, readonly Instance[]>;
  readonly databases: ReadonlyMap<string, Database>;
  readonly caches: ReadonlyMap<string, Cache>;
  readonly queues: ReadonlyMap<string, Queue>;
  readonly partners: ReadonlyMap<string, Partner>;
  readonly effects: Effects;
  readonly underWay: Set<UnderWay>;
  /** Those that ended last, by trace and instance, with how. */
  readonly ended: LRUCache<string, EndedRequest>;
  /** For the choice among stacks when somebody looks. */
  readonly looks: Chance;
  /** When the data begins, simulated nanoseconds. What is before warms the world up. */
  readonly dataBegins: number;
  /** Traces that began before: nothing is told of them. */
  readonly muted: Set<string>;
  readonly profiler: Profiler;
  /** What is told of the company goes here, but for what is lost on the way or lies before the data begins. */
  readonly output: Output;
}

interface WorldOptions {
  readonly epoch: bigint;
  readonly seed: number;
  readonly dataBegins: number;
  readonly muted: Set<string>;
}

/** Used part of a file system on a quiet day. */
const USUALLY_FULL = 0.41;

export function buildWorld(simulation: Simulation, { epoch, seed, dataBegins, muted }: WorldOptions, output: Output): World {
  const noise = chance(seed ^ 0x0f1ee7);
  const hosts = new Map(Object.entries(HOSTS).map(([name, { cores }]) => [name, new Host(cores)]));
  const machines = new Map(
    Object.entries(MACHINES).map(([name, { host, cores, clockOffMs }]): [string, Machine] => {
      const iron = hosts.get(host)!;
      const processor = new Processor(simulation, cores, iron);
      return [name, { name, host, iron, processor, clockOff: clockOffMs * MS, neighbours: new Map(), full: USUALLY_FULL }];
    }),
  );
  const databases = new Map(
    Object.entries(DATABASES).map(([name, { cores }]) => [name, new Database(simulation, noise, name, cores)]),
  );
  const instances = new Map(
    Object.entries(SERVICES).map(([service, form]) => [
      service,
      form.machines.map((machine, at) => {
        const database = form.pool && databases.get(form.pool.database);
        return new Instance(simulation, service, form, at, machines.get(machine)!, database);
      }),
    ]),
  );
  const partners = Object.entries(PARTNERS).map(([name, medianMs]): [string, Partner] => [
    name,
    { name, median: medianMs * MS, slower: 1, refuses: () => undefined },
  ]);
  return {
    simulation,
    epoch,
    chance: noise,
    ids: chance(seed ^ 0x1d5),
    hosts,
    machines,
    instances,
    databases,
    caches: new Map(Object.entries(CACHES).map(([name, share]) => [name, new Cache(name, share)])),
    queues: new Map(['notice-queue', 'books-queue', 'position-stream'].map((name) => [name, new Queue(simulation, name)])),
    partners: new Map(partners),
    effects: new Effects(),
    underWay: new Set(),
    ended: new LRUCache({ max: 2_000 }),
    looks: chance(seed ^ 0x100c5),
    dataBegins,
    muted,
    profiler: new Profiler(chance(seed ^ 0x9a0f), output, epoch),
    output,
  };
}

/** Epoch nanoseconds of now, by the clock of a machine. */
export function clock({ epoch, simulation }: World, machine?: Machine): bigint {
  return epoch + BigInt(Math.round(simulation.now + (machine?.clockOff ?? 0)));
}

/** The id of a trace that begins now. @param sender the trace whose message it works on */
export function newTrace({ simulation, dataBegins, muted, ids }: World, sender?: string): TraceId {
  const traceId = ids.hex(32) as TraceId;
  if (simulation.now < dataBegins || (sender !== undefined && muted.has(sender))) muted.add(traceId);
  return traceId;
}
