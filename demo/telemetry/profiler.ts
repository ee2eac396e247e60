import type { StackSample } from '../../src/core/profile/stackSample.ts';
import { stacksOf, type Wait, type WeighedStack, waitingStacks } from '../company/code/stacks.ts';
import type { Chance } from '../simulation/chance.ts';
import { MS } from '../simulation/units.ts';
import type { Instance } from '../world/instance.ts';
import type { Output } from './output.ts';

/** One sample for every ten milliseconds of a thread, on the CPU or not, and for every half MiB allocated. */
const TICK = 10 * MS;
const ALLOCATION = 512 * 1024;
/** Waits of this length name their span. */
const LONG_WAIT = 50 * MS;

interface Samples {
  readonly single: StackSample[];
  readonly summed: Map<StackSample['frames'], Map<string, number>>;
}

type Kind = 'cpu' | 'wall' | 'alloc_space';
const UNITS: Readonly<Record<Kind, readonly [unit: string, perSample: number]>> = {
  cpu: ['nanoseconds', TICK],
  wall: ['nanoseconds', TICK],
  alloc_space: ['bytes', ALLOCATION],
};

/** Where a sample is taken: in which instance, during which span. */
interface Place {
  readonly instance: Instance;
  readonly spanId: string | null;
  readonly request: { readonly traceId: string };
  readonly underWay?: { readonly operation: string; readonly thread: string };
}

/** Takes samples of what the threads of all instances do, as a profiler would: at random moments, so many a second. */
export class Profiler {
  readonly #chance: Chance;
  readonly #output: Output;
  readonly #epoch: bigint;
  readonly #samples = new Map<Instance, Map<Kind, Samples>>();
  /** Up to when samples were handed on, simulated nanoseconds. */
  #flushed = 0;

  constructor(chance: Chance, output: Output, epoch: bigint) {
    this.#chance = chance;
    this.#output = output;
    this.#epoch = epoch;
  }

  /** Something was computed: nanoseconds of a core, nanoseconds that passed, and what it allocated, in units of what a nanosecond does. */
  computed(at: Place, step: string, cpu: number, wall: number, allocating: number): void {
    const stacks = stacksOf(at.instance.running, step);
    this.#take(at, 'cpu', cpu / TICK, stacks);
    this.#take(at, 'wall', wall / TICK, stacks);
    this.#take(at, 'alloc_space', (allocating * 0.6) / ALLOCATION, stacks);
  }

  /** A thread waited. @param whom the statement or the service that it waited for */
  waited(at: Place, wait: Wait, whom: string, nanos: number): void {
    this.#take(at, 'wall', nanos / TICK, waitingStacks(at.instance.running, wait, whom));
  }

  #take(at: Place, kind: Kind, expected: number, stacks: readonly WeighedStack[]): void {
    const whole = Math.floor(expected);
    const count = whole + (this.#chance.happens(expected - whole) ? 1 : 0);
    // A long stay in few places: some stacks, each for a part of it.
    for (let left = count; left > 0; ) {
      const part = Math.min(left, Math.max(1, Math.ceil(count / 4)));
      left -= part;
      const { frames } = stacks.length === 1 ? stacks[0] : this.#chance.pick(stacks.map((it) => [it, it.weight] as const));
      this.#add(at, kind, frames, part * UNITS[kind][1]);
    }
  }

  /** Samples of the CPU, and those of a long wait, know their span, one by one. Of the others, those of one stack and operation are summed up. */
  #add({ instance, spanId, request, underWay }: Place, kind: Kind, frames: StackSample['frames'], value: number): void {
    const of = this.#of(instance, kind);
    const operation = underWay?.operation ?? '';
    if (spanId && (kind === 'cpu' || (kind === 'wall' && value >= LONG_WAIT))) {
      const span = { traceId: request.traceId, spanId };
      of.single.push({ frames, value, span, operation, thread: underWay?.thread });
      return;
    }
    const byOperation = of.summed.get(frames) ?? new Map<string, number>();
    of.summed.set(frames, byOperation.set(operation, (byOperation.get(operation) ?? 0) + value));
  }

  #of(instance: Instance, kind: Kind): Samples {
    let kinds = this.#samples.get(instance);
    if (!kinds) {
      kinds = new Map();
      this.#samples.set(instance, kinds);
    }
    let of = kinds.get(kind);
    if (!of) {
      of = { single: [], summed: new Map() };
      kinds.set(kind, of);
    }
    return of;
  }

  /** Hands on what was sampled since the last time, before it is due. @param to simulated nanoseconds */
  flushNow(to: number): void {
    this.flush(this.#flushed, to);
  }

  /** Hands on what was sampled since the last time. @param from, to in simulated nanoseconds */
  flush(from: number, to: number): void {
    this.#flushed = to;
    for (const [{ resource }, kinds] of this.#samples)
      for (const [kind, { single, summed }] of kinds) {
        const sums = [...summed].flatMap(([frames, of]) => [...of].map(([operation, value]) => ({ frames, value, operation })));
        const samples: StackSample[] = [...single, ...sums];
        const [unit, period] = UNITS[kind];
        this.#output.profile({
          resource,
          profile: { type: kind, unit, period, time: this.#epoch + BigInt(from), durationNs: BigInt(to - from), samples },
        });
      }
    this.#samples.clear();
  }
}
