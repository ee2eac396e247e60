import type { Attributes, SpanId, TraceId } from '../../src/core/trace/span.ts';
import { type Customer, describeBooking, describeCustomer } from '../company/customers.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { Failed } from '../world/failed.ts';
import { call, compute, type Place, serveAt } from '../world/request.ts';
import { newTrace, type World } from '../world/world.ts';
import { checkSession, signIn } from './accounts.ts';
import { crewRoster } from './crew.ts';
import { confirmHold, placeHold } from './holds.ts';
import { changeBooking, openManifest } from './manifests.ts';
import { noticesInbox } from './notices.ts';
import { showPass } from './passes.ts';
import { searchSailings } from './sailings.ts';
import { vesselPosition } from './vessels.ts';

/** What people come for: the entry operations at gangway. */
export type Journey =
  | 'place-a-hold'
  | 'search-sailings'
  | 'open-a-manifest'
  | 'confirm-a-booking'
  | 'show-a-pass'
  | 'change-a-booking'
  | 'crew-roster'
  | 'vessel-position'
  | 'sign-in'
  | 'notices-inbox';

interface Entry {
  readonly method: string;
  readonly route: string;
  readonly describe: (customer: Customer) => Attributes;
  readonly needsSession: boolean;
  readonly serve: (gangway: Place) => Process;
}

const withBooking = (customer: Customer) => ({ ...describeCustomer(customer), ...describeBooking(customer) });

export const ENTRIES: Readonly<Record<Journey, Entry>> = {
  'place-a-hold': { method: 'POST', route: '/holds', describe: withBooking, needsSession: true, serve: placeHold },
  'search-sailings': {
    method: 'GET',
    route: '/sailings',
    describe: describeCustomer,
    needsSession: false,
    serve: searchSailings,
  },
  'open-a-manifest': {
    method: 'GET',
    route: '/manifests/{sailing}',
    describe: describeCustomer,
    needsSession: true,
    serve: openManifest,
  },
  'confirm-a-booking': {
    method: 'POST',
    route: '/bookings/{ref}/confirm',
    describe: withBooking,
    needsSession: true,
    serve: confirmHold,
  },
  'show-a-pass': { method: 'GET', route: '/passes/{ref}', describe: withBooking, needsSession: true, serve: showPass },
  'change-a-booking': {
    method: 'PUT',
    route: '/bookings/{ref}',
    describe: withBooking,
    needsSession: true,
    serve: changeBooking,
  },
  'crew-roster': { method: 'GET', route: '/crew/roster/{vessel}', describe: () => ({}), needsSession: true, serve: crewRoster },
  'vessel-position': {
    method: 'GET',
    route: '/vessels/{id}/position',
    describe: () => ({}),
    needsSession: false,
    serve: vesselPosition,
  },
  'sign-in': { method: 'POST', route: '/sign-in', describe: describeCustomer, needsSession: false, serve: signIn },
  'notices-inbox': { method: 'GET', route: '/notices', describe: describeCustomer, needsSession: true, serve: noticesInbox },
};

/** What came of a request, as the one who sent it sees it. */
export interface Outcome {
  readonly traceId: TraceId;
  readonly status: number;
  readonly nanos: number;
}

/** One request from its arrival at gangway to its answer. From a kiosk it has a span of its own there. */
export function* enter(world: World, seed: number, journey: Journey, customer: Customer): Process<Outcome> {
  const own = chance(seed);
  const traceId = newTrace(world);
  const began = world.simulation.now;
  const { method, route, describe, needsSession, serve } = ENTRIES[journey];
  const attributes = { ...describe(customer), 'url.scheme': 'https', 'server.address': 'api.osier-reach.example' };
  const form = { service: 'gangway', method, route, attributes };
  const operation = `${method} ${route}`;
  const serving = function* (gangway: Place): Process {
    try {
      yield* compute(gangway, 'request.route', 1.5 * MS);
      if (needsSession) yield* checkSession(gangway);
      yield* serve(gangway);
      yield* compute(gangway, 'answer.write', 1.2 * MS);
    } catch (error) {
      if (error instanceof Failed && error.status >= 500)
        say(gangway, 'error', `${operation} answered ${error.status}: ${error.message}\n${error.trace}`);
      throw error;
    }
    say(gangway, 'info', `${operation} answered 200 after ${Math.round((world.simulation.now - began) / MS)} ms`);
  };
  const isStaff = journey === 'crew-roster' || journey === 'vessel-position';
  const request = { world, chance: own, traceId, customer };
  try {
    if (customer.channel === 'kiosk' && !isStaff) {
      const outside = placeAt(world, 'kiosk', own, request);
      yield* compute(outside, 'screen.draw', 2 * MS);
      yield* call(outside, { ...form, patience: 120_000 * MS }, serving);
    } else {
      const outside = placeAt(world, 'gangway', own, request);
      yield* serveAt(outside, outside.instance, form, serving);
    }
    return { traceId, status: 200, nanos: world.simulation.now - began };
  } catch (error) {
    if (!(error instanceof Failed)) throw error;
    return { traceId, status: error.status, nanos: world.simulation.now - began };
  }
}

function placeAt(world: World, service: string, own: Chance, request: Place['request']): Place {
  const instances = world.instances.get(service)!;
  return { request, instance: instances[own.between(0, instances.length - 1)], spanId: null as SpanId | null, set: () => {} };
}
