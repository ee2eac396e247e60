import type { Process } from '../simulation/simulation.ts';
import { connected, query } from '../world/database.ts';
import { MS } from '../world/parts.ts';
import { call, compute, Failed, type Place } from '../world/request.ts';

const CONFLICT = new Failed(
  500,
  'reach.manifests.WriteConflictException',
  'could not serialize access due to concurrent update',
  'reach.manifests.WriteConflictException: could not serialize access due to concurrent update\n\tat reach.manifests.store.ReservationStore.insert(ReservationStore.java:112)\n\tat reach.manifests.ReservationService.reserve(ReservationService.java:58)\n\tat reach.manifests.api.ReservationResource.post(ReservationResource.java:33)',
);

/** Writes the reservation. A conflict with another writer is tried again once; a second one reaches the caller. */
export function* reservePlaces(at: Place): Process {
  yield* call(at, { service: 'manifests', method: 'POST', route: '/reservations' }, function* (manifests) {
    yield* compute(manifests, 2 * MS);
    yield* connected(manifests, function* () {
      yield* query(manifests, {
        database: 'manifest-db',
        name: 'SELECT manifest',
        text: 'SELECT id, places_left, revision FROM manifest WHERE sailing_id = $1',
        work: 1.5 * MS,
      });
      for (let attempt = 1; ; attempt++) {
        const conflict = manifests.request.chance.happens(0.03);
        try {
          yield* query(manifests, {
            database: 'manifest-db',
            name: 'INSERT reservation',
            text: 'INSERT INTO reservation (manifest_id, booking_ref, party_size, vehicle_class, expires_at) VALUES ($1, $2, $3, $4, $5)',
            work: 6 * MS,
            fails: conflict ? CONFLICT : undefined,
          });
          return;
        } catch (error) {
          if (attempt === 2 || error !== CONFLICT) throw error;
          yield* manifests.request.world.simulation.sleep(manifests.request.chance.logNormal(25 * MS, 0.3));
        }
      }
    });
  });
}

export function* openManifest(at: Place): Process {
  yield* call(at, { service: 'manifests', method: 'GET', route: '/manifests/{sailing}' }, function* (manifests) {
    yield* connected(manifests, function* () {
      yield* query(manifests, {
        database: 'manifest-db',
        name: 'SELECT manifest',
        text: 'SELECT id, places_left, revision FROM manifest WHERE sailing_id = $1',
        work: 1.5 * MS,
      });
      yield* query(manifests, {
        database: 'manifest-db',
        name: 'SELECT passenger',
        text: 'SELECT id, booking_ref, place, boarded_at FROM passenger WHERE manifest_id = $1 ORDER BY place',
        work: 14 * MS,
        misses: 0.08,
      });
      yield* query(manifests, {
        database: 'manifest-db',
        name: 'SELECT vehicle',
        text: 'SELECT id, booking_ref, vehicle_class, slot FROM vehicle WHERE manifest_id = $1 ORDER BY slot',
        work: 8 * MS,
        misses: 0.08,
      });
    });
    yield* compute(manifests, 18 * MS);
  });
}
