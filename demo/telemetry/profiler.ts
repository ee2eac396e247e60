import type { Attributes } from '../../src/core/trace/span.ts';
import type { StackSample } from '../../src/formats/profile/tables.ts';
import { stacksOf, waitingStack } from '../company/code.ts';
import type { Chance } from '../simulation/chance.ts';
import { MS } from '../simulation/units.ts';
import type { Instance } from '../world/instance.ts';
import type { Place } from '../world/request.ts';
import type { Output } from './output.ts';

/** One sample for every ten milliseconds of a thread, on the CPU or not, and for every half MiB allocated. */
const TICK = 10 * MS;
const ALLOCATION = 512 * 1024;

type Kind = 'cpu' | 'wall' | 'alloc_space';
const UNITS: Readonly<Record<Kind, readonly [unit: string, perSample: number]>> = {
  cpu: ['nanoseconds', TICK],
  wall: ['nanoseconds', TICK],
  alloc_space: ['bytes', ALLOCATION],
};

/** Takes samples of what the threads of all instances do, as a profiler would: at random moments, so many a second. */
export class Profiler {
  readonly #chance: Chance;
  readonly #output: Output;
  readonly #epoch: bigint;
  readonly #samples = new Map<Instance, Map<Kind, StackSample[]>>();

  constructor(chance: Chance, output: Output, epoch: bigint) {
    this.#chance = chance;
    this.#output = output;
    this.#epoch = epoch;
  }

  /** Something was computed: nanoseconds of a core, nanoseconds that passed, and what it allocated, in units of what a nanosecond does. */
  computed(at: Place, step: string, cpu: number, wall: number, allocating: number): void {
    const { service, form } = at.instance;
    const stack = () =>
      this.#chance.pick(stacksOf(service, form.language, step).map(({ weight, frames }) => [frames, weight] as const));
    this.#take(at, 'cpu', cpu / TICK, stack);
    this.#take(at, 'wall', wall / TICK, stack);
    this.#take(at, 'alloc_space', (allocating * 0.6) / ALLOCATION, stack);
  }

  /** A thread waited. @param what pool or database */
  waited(at: Place, what: string, nanos: number): void {
    const { service, form } = at.instance;
    this.#take(at, 'wall', nanos / TICK, () => waitingStack(service, form.language, what));
  }

  #take(at: Place, kind: Kind, expected: number, stack: () => StackSample['frames']): void {
    const whole = Math.floor(expected);
    const count = whole + (this.#chance.happens(expected - whole) ? 1 : 0);
    // A long stay in few places: some stacks, each for a part of it.
    for (let left = count; left > 0; ) {
      const part = Math.min(left, Math.max(1, Math.ceil(count / 4)));
      left -= part;
      const span = at.spanId ? { traceId: at.request.traceId, spanId: at.spanId } : undefined;
      this.#of(at.instance, kind).push({ frames: stack(), value: part * UNITS[kind][1], span });
    }
  }

  #of(instance: Instance, kind: Kind): StackSample[] {
    let kinds = this.#samples.get(instance);
    if (!kinds) {
      kinds = new Map();
      this.#samples.set(instance, kinds);
    }
    let list = kinds.get(kind);
    if (!list) {
      list = [];
      kinds.set(kind, list);
    }
    return list;
  }

  /** Hands on what was sampled since the last time. @param from, to in simulated nanoseconds */
  flush(from: number, to: number): void {
    for (const [{ resource }, kinds] of this.#samples)
      for (const [kind, samples] of kinds)
        this.#output.profile({
          resource: resource as Attributes,
          profile: { type: kind, unit: UNITS[kind][0], time: this.#epoch + BigInt(from), durationNs: BigInt(to - from), samples },
        });
    this.#samples.clear();
  }
}
