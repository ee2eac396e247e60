import type { Statement } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { LOCK_PATIENCE, LockTimeout, type Session } from './database.ts';
import { exceptionAt } from './exceptions.ts';
import type { Failed } from './failed.ts';
import { type Place, sentAgain, within } from './request.ts';

/** How long a request waits for a connection of its pool. */
export const POOL_PATIENCE = 45 * SECOND;

/** Holds one connection of the instance's pool for a transaction; waiting for it is a span. @throws Failed when none is free in time */
export function* transaction<T>(at: Place, work: (session: Session) => Process<T>): Process<T> {
  const { world, chance } = at.request;
  const pool = at.instance.pool!;
  const session = yield* within(
    at,
    { name: 'acquire connection', kind: 'internal', attributes: { 'lantern.wait': 'pool' } },
    function* () {
      const began = world.simulation.now;
      const taken = yield* pool.take(world.simulation, POOL_PATIENCE);
      world.profiler.waited(at, 'pool', 'pool', world.simulation.now - began);
      if (!taken) throw exceptionAt(at.instance, 503, 'pool', `no connection within ${POOL_PATIENCE / SECOND} s`);
      yield* world.simulation.sleep(chance.logNormal(0.04 * MS, 0.2));
      return taken;
    },
  );
  try {
    return yield* work(session);
  } finally {
    pool.database.commit(session);
    pool.giveBack(session);
  }
}

interface QueryOptions {
  /** Group of rows that it locks. */
  readonly locks?: string;
  /** Whether its values make it look at many rows. */
  readonly wide?: boolean;
  readonly fails?: Failed;
}

/** Runs one statement on its server, with the trace in a comment, as the sampler of sessions will see it. */
export function* query(at: Place, session: Session, statement: Statement, { locks, wide, fails }: QueryOptions = {}): Process {
  const { world, chance, traceId } = at.request;
  const database = at.instance.pool!.database;
  const attributes = {
    'db.system.name': 'postgresql',
    'db.namespace': statement.database.replace('-db', ''),
    'db.operation.name': statement.name.split(' ')[0],
    'db.query.text': statement.text,
    'server.address': statement.database,
    'server.port': 5432,
  };
  yield* within(at, { name: statement.name, kind: 'client', attributes }, function* (client) {
    const began = world.simulation.now;
    yield* world.simulation.sleep(chance.logNormal(0.2 * MS, 0.3) + sentAgain(chance, at.instance));
    try {
      yield* database.run(session, statement, chance, `00-${traceId}-${client.spanId}-01`, locks, wide);
    } catch (error) {
      if (!(error instanceof LockTimeout)) throw error;
      say(at, 'error', `${statement.name} was cancelled: it waited ${LOCK_PATIENCE / SECOND} s for a lock`);
      throw exceptionAt(at.instance, 500, 'lock', 'canceling statement due to lock timeout');
    }
    world.profiler.waited(client, 'database', statement.name, world.simulation.now - began);
    if (fails) throw fails;
  });
}
