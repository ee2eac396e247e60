import { randomUUID } from 'node:crypto';

/** A process that a probe speaks for. */
export interface ProbedInstance {
  readonly service: string;
  readonly instance: string;
  readonly version: string;
  readonly language: string;
  /** Empty for none. */
  readonly environment: string;
}

/** What a probe can be asked for. */
export const ASKS = ['look', 'cpu', 'wall', 'heap', 'allocation'] as const;
export type Ask = (typeof ASKS)[number];

/** Something that a probe is to do; what it finds it sends as OTLP. */
export interface Command {
  readonly id: string;
  readonly ask: Ask;
  readonly service: string;
  readonly instance: string;
  /** Of a look: the request; empty for all that run. */
  readonly traceId: string;
  /** Of a profile: for how long. */
  readonly seconds: number;
}

interface Probe {
  readonly id: string;
  instances: readonly ProbedInstance[];
  can: readonly Ask[];
  /** Epoch milliseconds. */
  seen: number;
  queue: Command[];
  /** Called when there is something to do for the one who waits. */
  wake: (() => void) | undefined;
}

/** Probes, and processes of each, that are known at a time. */
const MOST_PROBES = 500;
const MOST_INSTANCES = 200;
/** Commands that wait for a probe; further ones are refused. */
const MOST_QUEUED = 50;
/** A probe that has not asked for so long is gone; after another time it is forgotten. */
const GONE_MS = 45_000;
const FORGOTTEN_MS = 3_600_000;

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the probes are not. */
const SHARED = Symbol.for('dusk-lantern.probes');
const shared = globalThis as { [SHARED]?: Map<string, Probe> };
shared[SHARED] ??= new Map();
const probes = shared[SHARED];

/** A probe cannot be registered. */
export class ProbeRefused extends Error {}

export interface Hello {
  readonly probe: string;
  readonly instances: readonly ProbedInstance[];
  readonly can: readonly Ask[];
}

/**
 * What a probe is to do. Registers it, and waits until there is something or the time is over.
 *
 * @throws ProbeRefused when too many are connected
 */
export async function commandsFor(hello: Hello, waitMs: number, signal?: AbortSignal): Promise<Command[]> {
  const probe = register(hello);
  if (probe.queue.length === 0 && waitMs > 0) await waited(probe, waitMs, signal);
  // Who has left does not get what is to be done: it waits for the next time that the probe asks.
  if (signal?.aborted) return [];
  probe.seen = Date.now();
  return probe.queue.splice(0);
}

function register({ probe: id, instances, can }: Hello): Probe {
  const now = Date.now();
  for (const [known, { seen }] of probes) if (now - seen > FORGOTTEN_MS) probes.delete(known);
  let probe = probes.get(id);
  if (!probe) {
    if (probes.size >= MOST_PROBES) makeRoom(now);
    probe = { id, instances, can, seen: now, queue: [], wake: undefined };
    probes.set(id, probe);
  }
  probe.instances = instances.slice(0, MOST_INSTANCES);
  probe.can = can;
  probe.seen = now;
  // An older connection of the same probe has its answer: nothing to do.
  probe.wake?.();
  return probe;
}

/** Forgets the probe that has been gone longest. @throws ProbeRefused when none is gone */
function makeRoom(now: number): void {
  const [longest] = [...probes.values()].filter((it) => isGone(it, now)).sort((a, b) => a.seen - b.seen);
  if (!longest) throw new ProbeRefused(`${MOST_PROBES} probes are connected already`);
  probes.delete(longest.id);
}

function isGone({ wake, seen }: Probe, now: number): boolean {
  return wake === undefined && now - seen > GONE_MS;
}

function waited(probe: Probe, waitMs: number, signal: AbortSignal | undefined): Promise<void> {
  return new Promise((resolve) => {
    const end = () => {
      clearTimeout(timer);
      signal?.removeEventListener('abort', end);
      if (probe.wake === end) probe.wake = undefined;
      resolve();
    };
    const timer = setTimeout(end, waitMs);
    signal?.addEventListener('abort', end, { once: true });
    probe.wake = end;
  });
}

/** How a probe stands. */
export interface ProbeState extends ProbedInstance {
  readonly can: readonly Ask[];
  /** When it asked last, epoch milliseconds. */
  readonly seen: number;
  readonly gone: boolean;
}

/** All processes that probes speak for, the present ones first. */
export function probedInstances(now = Date.now()): ProbeState[] {
  return [...probes.values()]
    .flatMap((probe) => probe.instances.map((it) => ({ ...it, can: probe.can, seen: probe.seen, gone: isGone(probe, now) })))
    .sort((a, b) => Number(a.gone) - Number(b.gone) || (a.service < b.service ? -1 : 1));
}

/** What became of a question to a probe. */
export type Asked =
  | { readonly is: 'asked'; readonly id: string }
  | { readonly is: 'no probe' }
  | { readonly is: 'cannot' }
  | { readonly is: 'busy' }
  | { readonly is: 'gone'; readonly since: number };

/** The environment of a process, as the probe said that speaks for it; empty where none does. */
export function environmentOfProcess(service: string, instance: string): string {
  return probedInstances().find((it) => it.service === service && it.instance === instance)?.environment ?? '';
}

/** Asks the probe of a process for something. */
export function askProbe(what: Omit<Command, 'id'>, now = Date.now()): Asked {
  const speaking = [...probes.values()]
    .filter(({ instances }) => instances.some((it) => it.service === what.service && it.instance === what.instance))
    .sort((a, b) => b.seen - a.seen);
  const probe = speaking[0];
  if (!probe) return { is: 'no probe' };
  if (isGone(probe, now)) return { is: 'gone', since: probe.seen };
  if (!probe.can.includes(what.ask)) return { is: 'cannot' };
  if (probe.queue.length >= MOST_QUEUED) return { is: 'busy' };
  const id = randomUUID();
  probe.queue.push({ id, ...what });
  probe.wake?.();
  return { is: 'asked', id };
}
