import { STATEMENTS } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { exceptionAt } from '../world/exceptions.ts';
import type { Failed } from '../world/failed.ts';
import { query, transaction } from '../world/query.ts';
import { call, compute, type Place } from '../world/request.ts';

/** Writes the reservation. A conflict with another writer is tried again once; a second one reaches the caller. */
export function* reservePlaces(at: Place): Process {
  yield* call(at, { service: 'manifests', method: 'POST', route: '/reservations' }, function* (manifests) {
    const { chance, world, customer } = manifests.request;
    yield* compute(manifests, 'reservation.check', 2 * MS);
    yield* transaction(manifests, function* (session) {
      yield* query(manifests, session, STATEMENTS.manifest);
      for (let attempt = 1; ; attempt++) {
        const fails = chance.happens(0.03) ? conflict(manifests) : undefined;
        try {
          yield* query(manifests, session, STATEMENTS.newReservation, { fails });
          say(manifests, 'info', `reserved ${customer!.partySize} places for ${customer!.bookingRef}`, {
            'booking.ref': customer!.bookingRef,
          });
          return;
        } catch (error) {
          if (attempt === 2 || error !== fails) throw error;
          say(manifests, 'warn', `write conflict on reservation for ${customer!.bookingRef}, trying again`);
          yield* world.simulation.sleep(chance.logNormal(25 * MS, 0.3));
        }
      }
    });
  });
}

function conflict({ instance }: Place): Failed {
  return exceptionAt(
    instance,
    500,
    'reach.manifests.WriteConflictException',
    'could not serialize access due to concurrent update',
  );
}

export function* openManifest(at: Place): Process {
  yield* call(
    at,
    { service: 'manifests', method: 'GET', route: '/manifests/{sailing}', patience: 60 * SECOND },
    function* (manifests) {
      const { chance, customer } = manifests.request;
      yield* transaction(manifests, function* (session) {
        yield* query(manifests, session, STATEMENTS.manifest);
        yield* query(manifests, session, STATEMENTS.passengers);
        yield* query(manifests, session, STATEMENTS.vehicles);
      });
      yield* compute(manifests, 'manifest.build', 18 * MS);
      say(manifests, 'info', `manifest of ${customer?.route ?? 'a sailing'} opened with ${chance.between(40, 420)} guests`);
    },
  );
}

/** A confirmed booking. */
export function* confirmBooking(at: Place): Process {
  yield* call(
    at,
    { service: 'manifests', method: 'POST', route: '/bookings/{ref}/confirmation', patience: 60 * SECOND },
    function* (manifests) {
      const { bookingRef } = manifests.request.customer!;
      yield* transaction(manifests, function* (session) {
        yield* query(manifests, session, STATEMENTS.booking);
        yield* query(manifests, session, STATEMENTS.confirmBooking, { locks: `booking ${bookingRef}` });
      });
      yield* compute(manifests, 'booking.confirm', 3 * MS);
      say(manifests, 'info', `booking ${bookingRef} confirmed`, { 'booking.ref': bookingRef });
    },
  );
}

/** Another sailing for a booking. Bookings of a route that a long job works on are locked as a whole. */
export function* changeBooking(at: Place): Process {
  yield* call(
    at,
    { service: 'manifests', method: 'PUT', route: '/bookings/{ref}', patience: 60 * SECOND },
    function* (manifests) {
      const { bookingRef, route } = manifests.request.customer!;
      yield* compute(manifests, 'change.check', 4 * MS);
      yield* transaction(manifests, function* (session) {
        yield* query(manifests, session, STATEMENTS.booking);
        yield* query(manifests, session, STATEMENTS.changeBooking, { locks: lockGroup(manifests, route, bookingRef) });
        yield* query(manifests, session, STATEMENTS.manifest);
      });
      say(manifests, 'info', `booking ${bookingRef} moved to another sailing of ${route}`, { 'booking.ref': bookingRef });
    },
  );
}

/** The rows that a change locks: those of the whole route while they are being rolled over to the next season. */
function lockGroup({ request }: Place, route: string, bookingRef: string): string {
  return request.world.effects.valueOf('season roll-over') > 0 ? `bookings of ${route}` : `booking ${bookingRef}`;
}

/** What a pass needs to know of a booking. */
export function* readBooking(at: Place): Process {
  yield* call(
    at,
    { service: 'manifests', method: 'GET', route: '/bookings/{ref}', tries: 2, patience: 60 * SECOND },
    function* (manifests) {
      yield* transaction(manifests, (session) => query(manifests, session, STATEMENTS.booking));
      yield* compute(manifests, 'booking.read', 2 * MS);
    },
  );
}
