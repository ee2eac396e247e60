import type { Process } from '../simulation/simulation.ts';
import { connected, query } from '../world/database.ts';
import { MS } from '../world/parts.ts';
import { call, compute, Failed, type Place } from '../world/request.ts';

export function* searchSailings(at: Place): Process {
  yield* call(at, { service: 'sailings', method: 'GET', route: '/sailings' }, function* (sailings) {
    yield* compute(sailings, 4 * MS);
    yield* connected(sailings, function* () {
      yield* query(sailings, {
        database: 'sailing-db',
        name: 'SELECT sailing',
        text: 'SELECT id, departs_at, arrives_at, vessel_id FROM sailing WHERE route = $1 AND departs_at BETWEEN $2 AND $3 ORDER BY departs_at',
        work: 9 * MS,
        misses: 0.06,
      });
      yield* query(sailings, {
        database: 'sailing-db',
        name: 'SELECT vessel',
        text: 'SELECT id, name, car_lanes, passenger_places FROM vessel WHERE id = ANY($1)',
        work: 1.2 * MS,
      });
    });
    yield* compute(sailings, 11 * MS);
  });
}

/** One sailing with its state, as holds needs it before it reserves places. */
export function* getSailing(at: Place): Process {
  yield* call(at, { service: 'sailings', method: 'GET', route: '/sailings/{id}' }, function* (sailings) {
    yield* connected(sailings, () =>
      query(sailings, {
        database: 'sailing-db',
        name: 'SELECT sailing',
        text: 'SELECT id, departs_at, vessel_id, state FROM sailing WHERE id = $1',
        work: 1.6 * MS,
      }),
    );
    yield* compute(sailings, 2.5 * MS);
    if (sailings.request.chance.happens(0.012))
      throw new Failed(
        409,
        'reach.sailings.SailingClosedException',
        'sailing is closed for booking',
        'reach.sailings.SailingClosedException: sailing is closed for booking\n\tat reach.sailings.SailingReader.open(SailingReader.java:67)\n\tat reach.sailings.api.SailingResource.get(SailingResource.java:39)',
      );
  });
}
