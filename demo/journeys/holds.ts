import type { Process } from '../simulation/simulation.ts';
import type { Customer } from '../world/customers.ts';
import { MS } from '../world/parts.ts';
import { call, compute, type Place, within } from '../world/request.ts';
import { allocateBerth } from './berths.ts';
import { reservePlaces } from './manifests.ts';
import { getSailing } from './sailings.ts';

/** A short reservation of places: read the sailing, pack the vehicle, write the reservation, tell whoever listens. */
export function* placeHold(at: Place, customer: Customer): Process {
  const { world, chance } = at.request;
  yield* call(at, { service: 'holds', method: 'POST', route: '/holds' }, function* (holds) {
    yield* compute(holds, 3 * MS);
    yield* world.simulation.together([getSailing(holds), readCache(holds)]);
    if (customer.vehicle !== 'foot') yield* allocateBerth(holds, customer);
    yield* reservePlaces(holds);
    yield* compute(holds, 2 * MS);
    const queue = {
      'messaging.system': 'pier',
      'messaging.destination.name': 'notice-queue',
      'messaging.operation.type': 'send',
    };
    yield* within(holds, { name: 'send notice-queue', kind: 'producer', attributes: queue }, () =>
      world.simulation.sleep(chance.logNormal(2.4 * MS, 0.4)),
    );
  });
}

function* readCache(holds: Place): Process {
  const { world, chance } = holds.request;
  const attributes = { 'db.system.name': 'keyvalue', 'db.operation.name': 'GET', 'server.address': 'hold-cache' };
  yield* within(holds, { name: 'GET hold', kind: 'client', attributes }, () =>
    world.simulation.sleep(chance.logNormal(0.6 * MS, 0.3)),
  );
}
