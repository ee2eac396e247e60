import type { Span, TraceId } from '../src/core/trace/span.ts';
import { INCIDENTS } from './incidents.ts';
import { enter, type Journey } from './journeys/entries.ts';
import { type Chance, chance } from './simulation/chance.ts';
import { type Process, Simulation } from './simulation/simulation.ts';
import { someCustomer } from './world/customers.ts';
import { buildWorld, MINUTE, SECOND, type World } from './world/parts.ts';

export interface DayOptions {
  /** The moment the data runs up to, epoch milliseconds. */
  readonly endMs: number;
  readonly hours: number;
  readonly seed: number;
}

const JOURNEYS = [
  ['place-a-hold', 38],
  ['search-sailings', 34],
  ['open-a-manifest', 16],
  ['sign-in', 12],
] as const;

/** Requests a second at ebb and flood: people come in waves, as sailings leave. */
const LEAST_RATE = 0.5;
const MOST_RATE = 1;
const WAVE = 95 * MINUTE;
/** Everyday loss on the way from a sender. */
const LOST_SPANS = 0.0004;

/** Simulates the company for some hours; all spans it reports, in the order they ended. One seed and end give the same for ever. */
export function simulateDay({ endMs, hours, seed }: DayOptions): Span[] {
  const simulation = new Simulation();
  const world = buildWorld(simulation);
  const length = hours * 60 * MINUTE;
  const epoch = BigInt(endMs) * 1_000_000n - BigInt(length);
  const spans: Span[] = [];
  const loss = chance(seed ^ 0x10055);
  const report = (span: Span) => {
    if (!loss.happens(LOST_SPANS)) spans.push(span);
  };

  simulation.start(arrivals(world, chance(seed), { epoch, length, report }));
  for (const incident of INCIDENTS) {
    const begin = length - incident.beginsMinutesBeforeEnd * MINUTE;
    if (begin >= 0) simulation.at(begin, () => simulation.start(incident.unfold(world, chance(seed))));
  }
  simulation.run();
  return spans;
}

interface Arrivals {
  readonly epoch: bigint;
  readonly length: number;
  readonly report: (span: Span) => void;
}

/** Requests arrive at random, more by day: a Poisson process whose rate follows the clock, by thinning. */
function* arrivals(world: World, arrive: Chance, { epoch, length, report }: Arrivals): Process {
  const { simulation, instances } = world;
  const gangways = instances.get('gangway')!;
  for (;;) {
    yield* simulation.sleep(arrive.exponential(SECOND / MOST_RATE));
    // The last ones have a minute to end, so that nothing is later than the end of the data.
    if (simulation.now > length - MINUTE) return;
    if (!arrive.happens(rateAt(simulation.now) / MOST_RATE)) continue;
    // Chance of its own for each request: how one goes does not change what the next one is.
    const own = chance(arrive.between(0, 0x7fffffff));
    const request = { world, chance: own, traceId: own.hex(32) as TraceId, report, epoch };
    const outside = { request, instance: gangways[own.between(0, gangways.length - 1)], spanId: null, set: () => {} };
    simulation.start(enter(outside, own.pick<Journey>(JOURNEYS), someCustomer(own)));
  }
}

function rateAt(time: number): number {
  const flood = (1 - Math.cos((time / WAVE) * 2 * Math.PI)) / 2;
  return LEAST_RATE + (MOST_RATE - LEAST_RATE) * flood;
}
