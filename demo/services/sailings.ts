import { STATEMENTS } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { exceptionAt } from '../world/exceptions.ts';
import { Failed } from '../world/failed.ts';
import { query, transaction } from '../world/query.ts';
import { askPartner, call, compute, lookUp, type Place } from '../world/request.ts';
import { priceFor } from './fares.ts';

export function* searchSailings(at: Place): Process {
  const customer = at.request.customer!;
  const search = { 'ferry.route': customer.route, 'search.days_ahead': customer.daysAhead };
  yield* call(
    at,
    { service: 'sailings', method: 'GET', route: '/sailings', attributes: search, patience: 20 * SECOND },
    function* (sailings) {
      yield* compute(sailings, 'request.parse', 4 * MS);
      yield* transaction(sailings, function* (session) {
        // Far dates lie outside of what is looked at every day.
        yield* query(sailings, session, STATEMENTS.sailingsOfRoute, { wide: customer.daysAhead > 30 });
        yield* query(sailings, session, STATEMENTS.vessel);
      });
      yield* sailings.request.world.simulation.together([tides(sailings), priceFor(sailings, 'web')]);
      yield* compute(sailings, 'timetable.assemble', 11 * MS);
      say(
        sailings,
        'info',
        `search ${customer.route} in ${customer.daysAhead} days found ${sailings.request.chance.between(2, 24)} sailings`,
      );
    },
  );
}

/** Whether tide and weather let ships sail. */
function* tides(at: Place): Process {
  const { customer, world, chance } = at.request;
  const breaker = breakerOf(at);
  const now = world.simulation.now;
  if (breaker.openUntil > now) {
    at.set({ 'circuit.open': true });
    throw exceptionAt(at.instance, 503, 'circuit open', 'tidewatch is not asked: it failed five times in a row');
  }
  try {
    yield* call(
      at,
      { service: 'tidewatch', method: 'GET', route: '/windows/{route}', patience: 6 * SECOND },
      function* (tidewatch) {
        yield* compute(tidewatch, 'window.parse', 2 * MS);
        // Windows that were asked for lately are known.
        if (!chance.happens(0.55)) yield* askMetRelay(tidewatch, customer!.route);
        yield* compute(tidewatch, 'window.compute', 6 * MS);
        say(tidewatch, 'debug', `tide window for ${customer!.route}: ${chance.between(20, 300)} minutes`);
      },
    );
    breaker.failures = 0;
  } catch (error) {
    const status = error instanceof Failed ? error.status : 500;
    say(at, 'error', `search of ${customer!.route} given up: no window, tidewatch said ${status}`, {
      'ferry.route': customer!.route,
    });
    if (++breaker.failures >= 5) {
      breaker.openUntil = world.simulation.now + 15 * SECOND;
      breaker.failures = 0;
      say(at, 'warn', 'circuit to tidewatch opened for 15 s after 5 failures in a row');
    }
    throw error;
  }
}

/** The key that tidewatch shows to met-relay. */
const KEY = 'k-0931';

function* askMetRelay(tidewatch: Place, route: string): Process {
  try {
    yield* askPartner(tidewatch, 'met-relay.example', 'GET', '/v2/tides/{harbour}', { 'ferry.route': route });
  } catch (error) {
    const refused = error instanceof Failed ? /answered (\d+)/.exec(error.message)?.[1] : undefined;
    if (refused)
      say(tidewatch, 'error', `met-relay.example answered ${refused} to window of ${route}: key ${KEY} unknown`, {
        'ferry.route': route,
        'http.response.status_code': Number(refused),
        'server.address': 'met-relay.example',
        'key.id': KEY,
      });
    throw error;
  }
}

interface Breaker {
  failures: number;
  openUntil: number;
}

const breakers = new WeakMap<object, Breaker>();

/** Each instance has a circuit breaker of its own to tidewatch. */
function breakerOf({ instance }: Place): Breaker {
  let breaker = breakers.get(instance);
  if (!breaker) {
    breaker = { failures: 0, openUntil: 0 };
    breakers.set(instance, breaker);
  }
  return breaker;
}

/** One sailing with its state, as holds needs it before it reserves places. */
export function* getSailing(at: Place): Process {
  yield* call(at, { service: 'sailings', method: 'GET', route: '/sailings/{id}', tries: 2 }, function* (sailings) {
    yield* transaction(sailings, (session) => query(sailings, session, STATEMENTS.sailing));
    yield* compute(sailings, 'sailing.read', 2.5 * MS);
    if (sailings.request.chance.happens(0.012)) {
      say(sailings, 'info', `sailing of ${sailings.request.customer!.route} is closed for booking`);
      throw exceptionAt(sailings.instance, 409, 'reach.sailings.SailingClosedException', 'sailing is closed for booking');
    }
  });
}

/** What holds knows of a sailing when it has looked at it lately. */
export function* getSailingCached(at: Place): Process {
  if (!(yield* lookUp(at, 'hold-cache', 'hold'))) yield* getSailing(at);
  else yield* compute(at, 'sailing.decode', 0.8 * MS);
}
