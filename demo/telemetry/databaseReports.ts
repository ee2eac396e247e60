import type { SampledSession } from '../../src/core/database/sampledSecond.ts';
import type { Attributes } from '../../src/core/trace/span.ts';
import { secondAttributes } from '../../src/formats/events/sampledSession.ts';
import { DATABASES } from '../company/services.ts';
import { STATEMENTS } from '../company/statements.ts';
import { MINUTE, MS } from '../simulation/units.ts';
import { type Database, MOST_SESSIONS, type Session } from '../world/database.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';
import { planOf } from './plans.ts';

/** How often the text of a statement is sent again, simulated nanoseconds. */
const TEXT_AGAIN = 10 * MINUTE;

/** Samples of all sessions that do something, as a sampler takes them once a second. */
export class SessionSampler {
  readonly #sent = new Map<string, number>();

  sample(world: World): void {
    for (const database of world.databases.values()) {
      const texts: Record<string, string> = {};
      const sessions = database.sessions.filter(({ state }) => state !== 'idle');
      for (const { statement } of sessions) {
        if (!statement || world.simulation.now - (this.#sent.get(statement.id) ?? Number.NEGATIVE_INFINITY) < TEXT_AGAIN)
          continue;
        this.#sent.set(statement.id, world.simulation.now);
        texts[statement.id] = statement.text;
      }
      const second = {
        system: 'postgresql',
        server: database.name,
        intervalMs: 1000,
        idle: database.sessions.length - sessions.length,
        most: MOST_SESSIONS,
        cores: database.processor.cores,
        sessions: sessions.map((it) => sessionOf(database, it, world.simulation.now)),
      };
      event(world, samplerOf(database), 'lantern.db.second', secondAttributes(second, texts));
    }
  }
}

function samplerOf({ name }: Database): Attributes {
  return reporter(`sampler of ${name}`, { 'host.name': DATABASES[name].host });
}

const namespaceOf = ({ name }: Database) => name.replace('-db', '');

const whose = (database: Database) => ({
  'db.system.name': 'postgresql',
  'server.address': database.name,
  'db.namespace': namespaceOf(database),
});

function sessionOf(database: Database, it: Session, now: number): SampledSession {
  const isWaitingForClient = it.state === 'idle in transaction';
  return {
    session: String(it.id),
    database: namespaceOf(database),
    user: it.user,
    program: it.program,
    client: it.client,
    backend: '',
    state: it.state,
    waitClass: isWaitingForClient ? 'Client' : it.waitClass,
    waitEvent: isWaitingForClient ? 'ClientRead' : it.waitEvent,
    statementId: it.statement?.id ?? '',
    traceparent: it.traceparent,
    blockedBy: it.blockedBy.map(({ id }) => String(id)),
    sinceMs: (now - it.since) / MS,
    transactionMs: it.transactionSince === undefined ? null : (now - it.transactionSince) / MS,
  };
}

/** The counters of each statement that was run, as a server keeps them. */
export function reportStatements(world: World): void {
  for (const database of world.databases.values())
    for (const { statement, calls, total, rows, hit, read } of database.figures.values())
      event(world, samplerOf(database), 'lantern.db.statement', {
        ...whose(database),
        'lantern.db.statement_id': statement.id,
        'db.query.text': statement.text,
        'lantern.db.calls': calls,
        'lantern.db.total_ms': total / 1_000_000,
        'lantern.db.rows': rows,
        'lantern.db.blocks_hit': hit,
        'lantern.db.blocks_read': read,
      });
}

/** Plans as the servers choose them, whenever one is another than before. */
export class PlanReports {
  readonly #told = new Map<string, string>();

  report(world: World): void {
    for (const statement of Object.values(STATEMENTS)) {
      const database = world.databases.get(statement.database)!;
      const plan = planOf(statement, database.isFullScan(statement));
      if (this.#told.get(statement.id) === plan.id) continue;
      this.#told.set(statement.id, plan.id);
      event(world, samplerOf(database), 'lantern.db.plan', {
        ...whose(database),
        'lantern.db.statement_id': statement.id,
        'lantern.db.plan_id': plan.id,
        'lantern.db.plan': plan.json,
        'lantern.db.total_cost': plan.cost,
      });
    }
  }
}
