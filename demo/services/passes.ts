import type { Process } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { askPartner, call, compute, type Place, within } from '../world/request.ts';
import { readBooking } from './manifests.ts';

/** A boarding pass as a picture. */
export function* showPass(at: Place): Process {
  const customer = at.request.customer!;
  yield* call(at, { service: 'passes', method: 'GET', route: '/passes/{ref}' }, function* (passes) {
    const { world } = passes.request;
    const isChatty = world.effects.valueOf(`debug in passes ${passes.instance.version}`) > 0;
    yield* readBooking(passes);
    yield* within(
      passes,
      { name: 'pass.render', kind: 'internal', attributes: { 'pass.guests': customer.partySize } },
      function* (inside) {
        yield* compute(inside, 'pass.render', (90 + 1.5 * customer.partySize) * MS, 0.15);
        if (isChatty)
          for (let row = 0; row < 6; row++)
            say(
              inside,
              'debug',
              `row ${row} of barcode for ${customer.bookingRef}: ${JSON.stringify({ ref: customer.bookingRef, row, bits: 1 << row })}`,
            );
      },
    );
    yield* askPartner(passes, 'pass-store', 'PUT', '/passes/{ref}.png');
    say(passes, 'info', `pass of ${customer.bookingRef} drawn for ${customer.partySize} guests`, {
      'booking.ref': customer.bookingRef,
    });
  });
}
