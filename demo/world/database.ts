import type { Process } from '../simulation/simulation.ts';
import { MS } from './parts.ts';
import { type Failed, type Place, within } from './request.ts';

export interface Statement {
  readonly database: string;
  readonly name: string;
  readonly text: string;
  /** Median work on the server's cores, nanoseconds. */
  readonly work: number;
  /** Share of calls that must go to disk. */
  readonly misses?: number;
  readonly fails?: Failed;
}

/** Holds one connection of the instance's pool while `work` runs; waiting for it is a span. */
export function* connected<T>(at: Place, work: () => Process<T>): Process<T> {
  const { pool } = at.instance;
  yield* within(at, { name: 'acquire connection', kind: 'internal', attributes: { 'lantern.wait': 'pool' } }, function* () {
    yield* pool.enter();
    yield* at.request.world.simulation.sleep(at.request.chance.logNormal(0.04 * MS, 0.2));
  });
  try {
    return yield* work();
  } finally {
    pool.leave();
  }
}

/** Runs one statement on its server: on a share of the server's cores, and now and then from disk. */
export function* query(at: Place, statement: Statement): Process {
  const { world, chance } = at.request;
  const server = world.databases.get(statement.database)!;
  const attributes = {
    'db.system.name': 'postgresql',
    'db.namespace': statement.database.replace('-db', ''),
    'db.operation.name': statement.name.split(' ')[0],
    'db.query.text': statement.text,
    'server.address': statement.database,
    'server.port': 5432,
  };
  yield* within(at, { name: statement.name, kind: 'client', attributes }, function* () {
    yield* world.simulation.sleep(chance.logNormal(0.2 * MS, 0.3));
    if (chance.happens(statement.misses ?? 0.02)) yield* world.simulation.sleep(chance.logNormal(4 * MS, 0.5));
    yield* server.processor.compute(chance.logNormal(statement.work, 0.4));
    if (statement.fails) throw statement.fails;
  });
}
