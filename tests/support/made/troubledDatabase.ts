import { sendJson } from '../sending.ts';
import { event, logs, second } from './otlpSignals.ts';

/*
 * Two servers for twenty minutes: one is calm throughout; on the other a job holds rows and does nothing from the tenth minute on, and a
 * statement loses its index.
 */

const MINUTE = 60_000;
export const START = Math.floor(Date.now() / MINUTE) * MINUTE - 190 * MINUTE;
export const TURN = START + 10 * MINUTE;
export const END = START + 20 * MINUTE;
export const UPDATE = 'f00000000000000a';
export const SEARCH = 'f00000000000000b';
const JOB = 'f00000000000000c';
const TEXTS = {
  [UPDATE]: 'UPDATE booking SET sailing_id = $1 WHERE ref = $2',
  [SEARCH]: 'SELECT id, departs_at FROM sailing WHERE route = $1 ORDER BY departs_at',
  [JOB]: 'UPDATE booking SET season = $1',
};
export const WINDOW = `from=${new Date(TURN).toISOString()}&to=${new Date(END).toISOString()}&before=${new Date(START).toISOString()}/${new Date(TURN).toISOString()}`;

export type Session = Record<string, unknown>;

/** What is active in a second of the one that has trouble. Deterministic, so that a recount knows it. */
export function troubled(at: number): Session[] {
  const turn = at >= TURN;
  const of = (session: number, more: Session): Session => ({
    session: String(session),
    state: 'active',
    database: 'manifest',
    ...more,
  });
  const sessions: Session[] = [];
  const step = (at - START) / 1000;
  if (step % 4 === 0)
    sessions.push(of(11, { program: 'sailings', user: 'sailings', client: 'sailings-1', statement_id: SEARCH }));
  if (!turn) return sessions;
  sessions.push(
    of(90, {
      program: 'season-rollover',
      user: 'batch',
      state: 'idle in transaction',
      statement_id: JOB,
      since_ms: at - TURN,
      transaction_ms: at - TURN + 2000,
    }),
  );
  for (let waiter = 0; waiter < 3; waiter++)
    sessions.push(
      of(20 + waiter, {
        program: 'manifests',
        user: 'manifests',
        client: `manifests-${1 + (waiter % 2)}`,
        statement_id: UPDATE,
        wait_class: 'Lock',
        wait_event: 'transactionid',
        blocked_by: ['90'],
        since_ms: ((step + 7 * waiter) % 50) * 1000,
      }),
    );
  return sessions;
}

export const SECONDS = Array.from({ length: (END - START) / 1000 }, (_, at) => START + 1000 * at);

/** Sends all that is sampled, counted and planned of both servers. */
export async function sendTroubledDatabase(url: string): Promise<void> {
  for (let from = 0; from < SECONDS.length; from += 300) {
    const some = SECONDS.slice(from, from + 300);
    await sendJson(
      url,
      '/v1/logs',
      logs(
        'sampler',
        some.flatMap((at) => [
          second(at, 'manifest-db', troubled(at), { 'lantern.db.cores': 4, 'lantern.db.statements': TEXTS }),
          // The sampler of the calm one was away for a minute.
          ...(at >= START + 15 * MINUTE && at < START + 16 * MINUTE
            ? []
            : [
                second(
                  at,
                  'account-db',
                  at % 5000 === 0 ? [{ session: '5', state: 'active', program: 'accounts', statement_id: 'x' }] : [],
                  { 'lantern.db.cores': 2 },
                ),
              ]),
        ]),
      ),
    );
  }
  const counters = Array.from({ length: 21 }, (_, minute) => {
    const calls = 600 * minute;
    const slow = Math.max(0, minute - 10) * 600;
    return event('lantern.db.statement', START + minute * MINUTE, {
      'db.system.name': 'postgresql',
      'server.address': 'manifest-db',
      'lantern.db.statement_id': SEARCH,
      'lantern.db.calls': calls,
      'lantern.db.total_ms': 10 * (calls - slow) + 200 * slow,
      'lantern.db.rows': 24 * calls,
      'lantern.db.blocks_hit': 60 * (calls - slow) + 4000 * slow,
    });
  });
  const plan = (type: string) =>
    JSON.stringify([
      { Plan: { 'Node Type': type, 'Relation Name': 'sailing', Filter: '(route = $1)', 'Total Cost': 9, 'Plan Rows': 24 } },
    ]);
  const plans = [
    [START - MINUTE, 'p1', 'Index Scan'],
    [TURN, 'p2', 'Seq Scan'],
  ] as const;
  await sendJson(
    url,
    '/v1/logs',
    logs('sampler', [
      ...counters,
      ...plans.map(([at, id, type]) =>
        event('lantern.db.plan', at, {
          'db.system.name': 'postgresql',
          'server.address': 'manifest-db',
          'lantern.db.statement_id': SEARCH,
          'lantern.db.plan_id': id,
          'lantern.db.plan': plan(type),
          'lantern.db.total_cost': 9,
        }),
      ),
      event('lantern.change', TURN - 2000, {
        'lantern.change.kind': 'job',
        'lantern.change.phase': 'begin',
        'lantern.change.title': 'season-rollover on manifest-db',
      }),
    ]),
  );
}
