import type { Attributes } from '../../src/core/trace/span.ts';
import type { Process } from '../simulation/simulation.ts';
import { type Customer, describeBooking, describeCustomer } from '../world/customers.ts';
import { MS } from '../world/parts.ts';
import { compute, Failed, type Place, serveAt } from '../world/request.ts';
import { checkSession, signIn } from './accounts.ts';
import { placeHold } from './holds.ts';
import { openManifest } from './manifests.ts';
import { searchSailings } from './sailings.ts';

/** What people come for: the entry operations at gangway. */
export type Journey = 'place-a-hold' | 'search-sailings' | 'open-a-manifest' | 'sign-in';

interface Entry {
  readonly method: string;
  readonly route: string;
  readonly describe: (customer: Customer) => Attributes;
  readonly serve: (gangway: Place, customer: Customer) => Process;
}

const ENTRIES: Record<Journey, Entry> = {
  'place-a-hold': {
    method: 'POST',
    route: '/holds',
    describe: (customer) => ({ ...describeCustomer(customer), ...describeBooking(customer) }),
    *serve(gangway, customer) {
      yield* checkSession(gangway);
      yield* placeHold(gangway, customer);
    },
  },
  'search-sailings': { method: 'GET', route: '/sailings', describe: describeCustomer, serve: searchSailings },
  'open-a-manifest': {
    method: 'GET',
    route: '/manifests/{sailing}',
    describe: describeCustomer,
    *serve(gangway) {
      yield* checkSession(gangway);
      yield* openManifest(gangway);
    },
  },
  'sign-in': { method: 'POST', route: '/sign-in', describe: describeCustomer, serve: signIn },
};

/** One request from its arrival at gangway to its answer. A failure ends there, as the status that gangway answers. */
export function* enter(outside: Place, journey: Journey, customer: Customer): Process {
  const { method, route, describe, serve } = ENTRIES[journey];
  const attributes = { ...describe(customer), 'url.scheme': 'https', 'server.address': 'api.osier-reach.example' };
  try {
    yield* serveAt(outside, outside.instance, { service: 'gangway', method, route, attributes }, function* (gangway) {
      yield* compute(gangway, 1.5 * MS);
      yield* serve(gangway, customer);
      yield* compute(gangway, 1.2 * MS);
    });
  } catch (error) {
    if (!(error instanceof Failed)) throw error;
  }
}
