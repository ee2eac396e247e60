import { type Customer, someCustomer } from '../company/customers.ts';
import { enter, type Journey, type Outcome } from '../services/gangway.ts';
import { chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import type { World } from '../world/world.ts';
import { noteAnswer } from './checks.ts';
import { Device } from './device.ts';

/** Visitors who wait longer than this may give up. */
const IMPATIENT = 20 * SECOND;

/** One visit: page after page, until what they came for is done, or they give up. */
export function* visit(world: World, seed: number, until: number): Process {
  const luck = chance(seed);
  const customer = someCustomer(luck);
  const device = new Device(world, luck, customer, seed);
  const { simulation } = world;

  /** One thing that is asked of the company. Gives whether the visit goes on. */
  function* ask(journey: Journey, page: string, action: string): Process<boolean> {
    if (simulation.now > until) return false;
    if (!(yield* device.openPage(page))) return false;
    for (let attempt = 1; ; attempt++) {
      if (!(yield* device.press(action))) return false;
      const outcome: Outcome = yield* enter(world, luck.between(0, 0x7fffffff), journey, customer);
      device.answered(action, outcome);
      noteAnswer(world, action, outcome);
      if (device.crashesAfter(journey)) {
        device.crash();
        return false;
      }
      const isWell = outcome.status < 400;
      if (isWell && outcome.nanos < IMPATIENT) break;
      if (isWell) {
        if (luck.happens(0.5)) return false;
        break;
      }
      // Most try again once when it failed, some twice.
      if (attempt === 3 || outcome.status === 401 || luck.happens(0.45)) return false;
      yield* simulation.sleep(luck.exponential(6 * SECOND));
    }
    yield* simulation.sleep(luck.logNormal(11 * SECOND, 0.6));
    return true;
  }

  yield* course();
  device.leave();

  function* course(): Process {
    if (luck.happens(0.09)) {
      if (yield* ask('sign-in', '/sign-in', 'sign in')) yield* ask('change-a-booking', '/bookings', 'move to another sailing');
      return;
    }
    if (luck.happens(0.22) && !(yield* ask('sign-in', '/sign-in', 'sign in'))) return;
    for (let searches = luck.between(1, 2); searches > 0; searches--)
      if (!(yield* ask('search-sailings', '/sailings', 'search'))) return;
    if (!luck.happens(0.62)) return;
    if (!(yield* ask('place-a-hold', '/sailings/choose', 'hold places'))) return;
    if (luck.happens(looksAtManifest(customer)) && !(yield* ask('open-a-manifest', '/manifest', 'who is aboard'))) return;
    if (!luck.happens(0.88)) return;
    if (!(yield* ask('confirm-a-booking', '/bookings/confirm', 'pay and confirm'))) return;
    if (luck.happens(0.25) && !(yield* ask('notices-inbox', '/notices', 'open inbox'))) return;
    if (luck.happens(0.75)) yield* ask('show-a-pass', '/passes', 'show pass');
    yield* simulation.sleep(MS);
  }
}

function looksAtManifest({ channel }: Customer): number {
  return channel === 'phone' ? 0.9 : 0.4;
}
