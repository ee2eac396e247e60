import type { StackSample } from '../../src/core/profile/stackSample.ts';
import { stacksOf, type WeighedStack, waitingStacks } from '../company/code.ts';
import type { Chance } from '../simulation/chance.ts';
import { MS } from '../simulation/units.ts';
import type { Instance } from '../world/instance.ts';
import type { Output } from './output.ts';

/** One sample for every ten milliseconds of a thread, on the CPU or not, and for every half MiB allocated. */
const TICK = 10 * MS;
const ALLOCATION = 512 * 1024;

interface Samples {
  readonly single: StackSample[];
  readonly summed: Map<StackSample['frames'], number>;
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
}

/** Takes samples of what the threads of all instances do, as a profiler would: at random moments, so many a second. */
export class Profiler {
  readonly #chance: Chance;
  readonly #output: Output;
  readonly #epoch: bigint;
  readonly #samples = new Map<Instance, Map<Kind, Samples>>();

  constructor(chance: Chance, output: Output, epoch: bigint) {
    this.#chance = chance;
    this.#output = output;
    this.#epoch = epoch;
  }

  /** Something was computed: nanoseconds of a core, nanoseconds that passed, and what it allocated, in units of what a nanosecond does. */
  computed(at: Place, step: string, cpu: number, wall: number, allocating: number): void {
    const { service, form } = at.instance;
    const stacks = stacksOf(service, form.language, step);
    this.#take(at, 'cpu', cpu / TICK, stacks);
    this.#take(at, 'wall', wall / TICK, stacks);
    this.#take(at, 'alloc_space', (allocating * 0.6) / ALLOCATION, stacks);
  }

  /** A thread waited. @param what pool or database */
  waited(at: Place, what: string, nanos: number): void {
    const { service, form } = at.instance;
    this.#take(at, 'wall', nanos / TICK, waitingStacks(service, form.language, what));
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

  /** Samples of the CPU know their span, one by one. Of the others, those of one stack are summed up. */
  #add({ instance, spanId, request }: Place, kind: Kind, frames: StackSample['frames'], value: number): void {
    const of = this.#of(instance, kind);
    if (kind === 'cpu' && spanId) {
      of.single.push({ frames, value, span: { traceId: request.traceId, spanId } });
      return;
    }
    of.summed.set(frames, (of.summed.get(frames) ?? 0) + value);
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

  /** Hands on what was sampled since the last time. @param from, to in simulated nanoseconds */
  flush(from: number, to: number): void {
    for (const [{ resource }, kinds] of this.#samples)
      for (const [kind, { single, summed }] of kinds) {
        const samples = [...single, ...[...summed].map(([frames, value]) => ({ frames, value }))];
        this.#output.profile({
          resource,
          profile: { type: kind, unit: UNITS[kind][0], time: this.#epoch + BigInt(from), durationNs: BigInt(to - from), samples },
        });
      }
    this.#samples.clear();
  }
}
