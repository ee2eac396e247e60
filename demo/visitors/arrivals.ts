import { someCustomer } from '../company/customers.ts';
import { enter, type Journey } from '../services/gangway.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { HOUR, SECOND } from '../simulation/units.ts';
import type { World } from '../world/world.ts';
import { visit } from './visit.ts';

/** Visits a second at the height of the day, and what the staff asks for. */
const VISITS = 0.46;
const STAFF: readonly (readonly [Journey, number])[] = [
  ['crew-roster', 0.03],
  ['vessel-position', 0.07],
];

/** The waves of a regatta day: how much of the height there is, so many hours before its end. */
export function waveAt(hoursBefore: number): number {
  const bell = (centre: number, width: number, height: number) => height * Math.exp(-(((hoursBefore - centre) / width) ** 2));
  return Math.min(1, 0.2 + bell(0.5, 2.4, 0.8) + bell(6, 2, 0.6) + bell(10.5, 1.8, 0.5) + bell(18, 4, 0.08));
}

export interface ArrivalOptions {
  readonly seed: number;
  /** Times of the world at which its end lies, and after which nobody comes any more; nanoseconds. */
  readonly end: number;
  readonly until: number;
  /** How many times the ordinary traffic. */
  readonly scale: number;
}

/** Visitors and staff arrive at random, more by day: Poisson processes whose rate follows the hour, by thinning. */
export function startArrivals(world: World, options: ArrivalOptions): void {
  const luck = chance(options.seed);
  world.simulation.start(
    arrivals(world, luck.between(0, 0x7fffffff), options, VISITS, (seed) => visit(world, seed, options.until)),
  );
  for (const [journey, rate] of STAFF)
    world.simulation.start(
      arrivals(world, luck.between(0, 0x7fffffff), options, rate, function* (seed) {
        yield* enter(world, seed, journey, someCustomer(chance(seed)));
      }),
    );
}

function* arrivals(
  { simulation }: World,
  seed: number,
  { end, until, scale }: ArrivalOptions,
  most: number,
  arrive: (seed: number) => Process,
): Process {
  const luck: Chance = chance(seed);
  for (;;) {
    yield* simulation.sleep(luck.exponential(SECOND / (most * scale)));
    if (simulation.now > until) return;
    // After the end it goes as it came.
    const hoursBefore = Math.abs(end - simulation.now) / HOUR;
    // Chance of its own for each: how one goes does not change what the next one is.
    const own = luck.between(0, 0x7fffffff);
    if (luck.happens(waveAt(hoursBefore))) simulation.start(arrive(own));
  }
}
