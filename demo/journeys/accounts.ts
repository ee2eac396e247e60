import type { Process } from '../simulation/simulation.ts';
import { connected, query } from '../world/database.ts';
import { MS } from '../world/parts.ts';
import { call, compute, Failed, type Place } from '../world/request.ts';

/** gangway asks accounts whether a session is good, as it does for every request that needs a person. */
export function* checkSession(at: Place): Process {
  yield* call(at, { service: 'accounts', method: 'GET', route: '/sessions/{id}' }, function* (accounts) {
    yield* compute(accounts, 1.2 * MS);
    yield* connected(accounts, () =>
      query(accounts, {
        database: 'account-db',
        name: 'SELECT session',
        text: 'SELECT user_id, expires_at, scopes FROM session WHERE token_hash = $1',
        work: 0.9 * MS,
      }),
    );
  });
}

export function* signIn(at: Place): Process {
  yield* call(at, { service: 'accounts', method: 'POST', route: '/sessions' }, function* (accounts) {
    yield* connected(accounts, () =>
      query(accounts, {
        database: 'account-db',
        name: 'SELECT account',
        text: 'SELECT id, secret_hash, locked_until FROM account WHERE handle = $1',
        work: 1.1 * MS,
      }),
    );
    // Comparing a secret with its hash is slow on purpose.
    yield* compute(accounts, 85 * MS, 0.1);
    if (accounts.request.chance.happens(0.06))
      throw new Failed(
        401,
        'accounts.ErrSecretMismatch',
        'secret does not match',
        'accounts.ErrSecretMismatch: secret does not match\n\tat signin.(*Service).Verify (signin/verify.go:88)\n\tat api.(*Server).PostSession (api/sessions.go:41)',
      );
    yield* connected(accounts, () =>
      query(accounts, {
        database: 'account-db',
        name: 'INSERT session',
        text: 'INSERT INTO session (token_hash, user_id, expires_at) VALUES ($1, $2, $3)',
        work: 1.4 * MS,
      }),
    );
  });
}
