import type { Channel } from '../company/customers.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { exceptionAt } from '../world/exceptions.ts';
import { call, compute, lookUp, type Place } from '../world/request.ts';
import type { World } from '../world/world.ts';

/** The price for a customer. Each kind of caller may ask so often; who asks more is told to wait, and may try again. */
export function* priceFor(at: Place, caller: Channel): Process {
  const { world } = at.request;
  // A caller that is limited and does not know how to wait tries again at once.
  const storms = world.effects.valueOf(`limit ${caller}`) > 0;
  const form = {
    service: 'fares',
    method: 'POST',
    route: '/prices',
    attributes: { 'ferry.channel': caller },
    tries: storms ? 9 : 2,
    pause: storms ? 4 * MS : 120 * MS,
  };
  yield* call(at, form, function* (fares) {
    if (isOverLimit(world, caller)) {
      say(fares, 'warn', `caller ${caller} is over its limit of ${world.effects.valueOf(`limit ${caller}`)} in five minutes`);
      throw exceptionAt(fares.instance, 429, 'TooManyRequestsError', `caller ${caller} asks too often`);
    }
    if (!(yield* lookUp(fares, 'fare-cache', 'fare'))) yield* compute(fares, 'price.rules', 14 * MS);
    yield* compute(fares, 'price.round', 1.5 * MS);
  });
}

const asked = new WeakMap<World, Map<Channel, number[]>>();

/** Counts a question; whether there were more than may be within five minutes. Those that are refused count too. */
function isOverLimit(world: World, caller: Channel): boolean {
  const limit = world.effects.valueOf(`limit ${caller}`);
  if (limit === 0) return false;
  let of = asked.get(world);
  if (!of) {
    of = new Map();
    asked.set(world, of);
  }
  const now = world.simulation.now;
  const times = (of.get(caller) ?? []).filter((time) => now - time < 300 * SECOND);
  times.push(now);
  of.set(caller, times);
  return times.length > limit;
}
