import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { askPartner, call, compute, type Place, sendMessage } from '../world/request.ts';
import { allocateBerth } from './berths.ts';
import { priceFor } from './fares.ts';
import { confirmBooking, reservePlaces } from './manifests.ts';
import { getSailingCached } from './sailings.ts';

/** A short reservation of places: read the sailing, pack the vehicle, write the reservation, tell whoever listens. */
export function* placeHold(at: Place): Process {
  const customer = at.request.customer!;
  yield* call(at, { service: 'holds', method: 'POST', route: '/holds', patience: 90 * SECOND }, function* (holds) {
    yield* compute(holds, 'hold.check', 3 * MS);
    yield* holds.request.world.simulation.together([getSailingCached(holds), priceFor(holds, 'web')]);
    if (customer.vehicle !== 'foot') yield* allocateBerth(holds);
    yield* reservePlaces(holds);
    yield* compute(holds, 'hold.write', 2 * MS);
    yield* tell(holds, 'notice-queue', 'hold placed');
    say(holds, 'info', `hold placed for booking ${customer.bookingRef}: ${customer.partySize} guests, ${customer.vehicle}`, {
      'booking.ref': customer.bookingRef,
    });
  });
}

/** A hold becomes a booking: the price once more, payment, the manifest, and a message to the customer and to accounting. */
export function* confirmHold(at: Place): Process {
  const customer = at.request.customer!;
  yield* call(
    at,
    { service: 'holds', method: 'POST', route: '/holds/{ref}/confirmation', patience: 90 * SECOND },
    function* (holds) {
      yield* compute(holds, 'hold.read', 3 * MS);
      yield* priceFor(holds, customer.channel);
      yield* askPartner(holds, 'cardhouse.example', 'POST', '/charges', { 'booking.value': customer.bookingValue }, 8 * SECOND);
      say(holds, 'info', `payment of ${customer.bookingValue} crowns taken for ${customer.bookingRef}`, {
        'booking.ref': customer.bookingRef,
      });
      yield* confirmBooking(holds);
      yield* tell(holds, 'notice-queue', 'booking confirmed');
      yield* tell(holds, 'books-queue', 'booking confirmed');
    },
  );
}

/** Sends a message about a booking, and says so before: whoever waits for it has it at once. */
function* tell(at: Place, queue: string, kind: string): Process {
  const { bookingRef } = at.request.customer!;
  say(at, 'info', `message "${kind}" for ${bookingRef} queued in ${queue}`, { 'booking.ref': bookingRef });
  yield* sendMessage(at, queue, kind);
}
