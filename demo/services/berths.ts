import { slotsOf } from '../company/customers.ts';
import { STATEMENTS } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { query, transaction } from '../world/query.ts';
import { call, compute, type Place, within } from '../world/request.ts';

const PER_SLOT = 0.3 * MS;
/** Comparing every pair of slots, as one version does. */
const PER_PAIR = 0.031 * MS;

/** Packs a vehicle onto the deck. */
export function* allocateBerth(at: Place): Process {
  const { chance, world } = at.request;
  const customer = at.request.customer!;
  const attributes = { 'ferry.vehicle_class': customer.vehicle };
  yield* call(
    at,
    { service: 'berths', method: 'POST', route: '/berths/allocations', attributes, patience: 60_000 * MS },
    function* (berths) {
      yield* transaction(berths, (session) => query(berths, session, STATEMENTS.deckSlots));
      const slots = slotsOf(customer, chance);
      const comparesPairs = world.effects.valueOf(`pairs in berths ${berths.instance.version}`) > 0;
      const work = 4 * MS + (comparesPairs ? PER_PAIR * slots ** 2 : PER_SLOT * slots);
      yield* within(
        berths,
        { name: 'layout.solve', kind: 'internal', attributes: { ...attributes, 'deck.slots': slots } },
        (inside) => compute(inside, 'layout.solve', work, 0.12),
      );
      yield* transaction(berths, (session) => query(berths, session, STATEMENTS.takeSlots));
      say(berths, 'info', `layout solved for ${customer.vehicle} with ${slots} slots, lane ${chance.between(1, 14)}`, attributes);
    },
  );
}
