import type pg from 'pg';
import { inTransaction, sqlState } from '../database/connection.ts';
import { forgetDays } from '../retention/days.ts';

/** What is answered to a request, and by what it is known when it comes again. */
export interface Body {
  /** Hex of a hash of the request's body: a body is kept once, however often it comes. */
  readonly hash: string;
  readonly accepted: number;
  readonly rejected: number;
  readonly message: string;
}

export type Committed = Omit<Body, 'hash'> & {
  /** Whether the same body had been kept before. */
  readonly repeated: boolean;
};

/** A request that is to be kept: its body, and what its signal made of it. */
export interface PreparedRequest<T> {
  readonly body: Body;
  readonly prepared: T;
}

const UNIQUE_VIOLATION = '23505';
const NO_PARTITION = '23514';
const LOST_RACE = /^40/;
export const MOST_TRIES = 6;

/** What was written already does not fit what was found there: all is to be undone and tried again. */
export class PreparationStale extends Error {}

/**
 * Keeps some requests in one transaction, which is committed when this returns. One whose body was kept before changes nothing and has
 * the answer of that time. Tried again, with the number of the attempt, when it lost a race against others.
 *
 * @param work writes the records of those requests that are new
 */
export async function commitBatch<T>(
  requests: readonly PreparedRequest<T>[],
  work: (client: pg.PoolClient, fresh: readonly PreparedRequest<T>[], attempt: number) => Promise<void>,
): Promise<Committed[]> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await inTransaction(async (client) => {
        const before = await remember(
          client,
          requests.map(({ body }) => body),
        );
        const fresh = requests.filter(({ body }) => !before.has(body.hash));
        if (fresh.length > 0) await work(client, fresh, attempt);
        return requests.map(({ body: { hash, ...answer } }) => {
          const earlier = before.get(hash);
          return earlier ? { ...earlier, repeated: true } : { ...answer, repeated: false };
        });
      });
    } catch (error) {
      const state = sqlState(error) ?? '';
      const mayHelp =
        error instanceof PreparationStale || state === UNIQUE_VIOLATION || state === NO_PARTITION || LOST_RACE.test(state);
      if (attempt === MOST_TRIES || !mayHelp) throw error;
      // A day may have been dropped since its tables were seen.
      if (state === NO_PARTITION) forgetDays();
    }
  }
}

/** Notes bodies; gives those that were there before, with the answers they had. */
async function remember(client: pg.PoolClient, bodies: readonly Body[]): Promise<Map<string, Omit<Body, 'hash'>>> {
  // In one order everywhere, so that two transactions do not wait for each other in a circle.
  const sorted = [...bodies].sort((a, b) => (a.hash < b.hash ? -1 : 1));
  const added = await client.query<{ hash: Buffer }>({
    name: 'remember bodies',
    text: `INSERT INTO intake_body (hash, accepted, rejected, message)
      SELECT decode(hash, 'hex'), accepted, rejected, message
      FROM unnest($1::text[], $2::int[], $3::int[], $4::text[]) AS it(hash, accepted, rejected, message) ORDER BY hash
      ON CONFLICT DO NOTHING RETURNING hash`,
    values: [
      sorted.map(({ hash }) => hash),
      sorted.map(({ accepted }) => accepted),
      sorted.map(({ rejected }) => rejected),
      sorted.map(({ message }) => message),
    ],
  });
  if (added.rows.length === bodies.length) return new Map();
  const isNew = new Set(added.rows.map(({ hash }) => hash.toString('hex')));
  const there = sorted.filter(({ hash }) => !isNew.has(hash)).map(({ hash }) => `\\x${hash}`);
  const { rows } = await client.query<Omit<Body, 'hash'> & { hash: Buffer }>(
    'SELECT hash, accepted, rejected, message FROM intake_body WHERE hash = ANY($1::bytea[])',
    [there],
  );
  return new Map(rows.map(({ hash, ...answer }) => [hash.toString('hex'), answer]));
}
