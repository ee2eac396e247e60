import type { Process } from '../simulation/simulation.ts';
import { type Customer, slotsOf } from '../world/customers.ts';
import { connected, query } from '../world/database.ts';
import { MS, versionOf } from '../world/parts.ts';
import { call, compute, type Place, within } from '../world/request.ts';

const PER_SLOT = 0.3 * MS;
/** 4.7.0 compares every pair of slots. */
const PER_PAIR = 0.031 * MS;

/** Packs a vehicle onto the deck. */
export function* allocateBerth(at: Place, customer: Customer): Process {
  const { vehicle } = customer;
  yield* call(
    at,
    { service: 'berths', method: 'POST', route: '/berths/allocations', attributes: { 'ferry.vehicle_class': vehicle } },
    function* (berths) {
      yield* connected(berths, function* () {
        yield* query(berths, {
          database: 'sailing-db',
          name: 'SELECT deck_slot',
          text: 'SELECT slot, lane, height_cm, taken_by FROM deck_slot WHERE sailing_id = $1',
          work: 3.2 * MS,
        });
      });
      const slots = slotsOf(customer, at.request.chance);
      const layout = { 'ferry.vehicle_class': vehicle, 'deck.slots': slots };
      yield* within(berths, { name: 'layout.solve', kind: 'internal', attributes: layout }, (inside) =>
        compute(inside, 4 * MS + (comparesPairs(berths) ? PER_PAIR * slots ** 2 : PER_SLOT * slots), 0.12),
      );
      yield* connected(berths, () =>
        query(berths, {
          database: 'sailing-db',
          name: 'UPDATE deck_slot',
          text: 'UPDATE deck_slot SET taken_by = $1 WHERE sailing_id = $2 AND slot = ANY($3) AND taken_by IS NULL',
          work: 2.1 * MS,
        }),
      );
    },
  );
}

function comparesPairs(berths: Place): boolean {
  return versionOf(berths.instance) === '4.7.0';
}
