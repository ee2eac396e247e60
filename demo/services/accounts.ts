import { STATEMENTS } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { exceptionAt } from '../world/exceptions.ts';
import { query, transaction } from '../world/query.ts';
import { call, compute, type Place } from '../world/request.ts';

/** gangway asks accounts whether a session is good, as it does for every request that needs a person. */
export function* checkSession(at: Place): Process {
  yield* call(at, { service: 'accounts', method: 'GET', route: '/sessions/{id}', tries: 2 }, function* (accounts) {
    yield* compute(accounts, 'session.check', 1.2 * MS);
    yield* transaction(accounts, (session) => query(accounts, session, STATEMENTS.session));
    say(accounts, 'debug', `session of ${accounts.request.customer!.userId} is good`);
  });
}

export function* signIn(at: Place): Process {
  yield* call(at, { service: 'accounts', method: 'POST', route: '/sessions' }, function* (accounts) {
    const user = accounts.request.customer!.userId;
    yield* transaction(accounts, (session) => query(accounts, session, STATEMENTS.account));
    // Comparing a secret with its hash is slow on purpose.
    yield* compute(accounts, 'secret.compare', 85 * MS, 0.1);
    if (accounts.request.chance.happens(0.06)) {
      say(accounts, 'warn', `sign-in refused for ${user}: secret does not match`);
      throw exceptionAt(accounts.instance, 401, 'accounts.ErrSecretMismatch', 'secret does not match', 'secret.compare');
    }
    yield* transaction(accounts, (session) => query(accounts, session, STATEMENTS.newSession));
    say(accounts, 'info', `session opened for ${user}`);
  });
}
