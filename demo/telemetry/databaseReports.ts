import type { Attributes } from '../../src/core/trace/span.ts';
import { DATABASES } from '../company/services.ts';
import { STATEMENTS, type Statement } from '../company/statements.ts';
import { SECOND } from '../simulation/units.ts';
import type { Database, Session } from '../world/database.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';
import { planOf } from './plans.ts';

/** Samples of all sessions that do something, as a sampler takes them once a second. */
export function sampleSessions(world: World): void {
  for (const database of world.databases.values())
    for (const session of database.sessions)
      if (session.state !== 'idle') event(world, samplerOf(database), 'lantern.db.sample', sampleOf(database, session));
}

function samplerOf({ name }: Database): Attributes {
  return reporter(`sampler of ${name}`, { 'host.name': DATABASES[name].host });
}

const whose = ({ name }: Database) => ({
  'db.system.name': 'postgresql',
  'server.address': name,
  'db.namespace': name.replace('-db', ''),
});

function sampleOf(database: Database, session: Session): Attributes {
  const { statement, traceparent } = session;
  return {
    ...whose(database),
    'lantern.db.session': String(session.id),
    ...(session.blockedBy.length > 0 ? { 'lantern.db.blocked_by': session.blockedBy.map(({ id }) => String(id)) } : {}),
    'db.user': session.user,
    'lantern.db.program': session.program,
    'client.address': session.client,
    'lantern.db.state': session.state,
    'lantern.db.wait_class': session.state === 'idle in transaction' ? 'Client' : session.waitClass,
    'lantern.db.wait_event': session.state === 'idle in transaction' ? 'ClientRead' : session.waitEvent,
    ...(statement ? { 'lantern.db.statement_id': statement.id, 'db.query.text': commented(statement, traceparent) } : {}),
    ...(traceparent ? { 'lantern.trace_id': traceparent.split('-')[1] } : {}),
  };
}

/** A statement as its program sends it: with the trace in a comment. */
function commented({ text }: Statement, traceparent: string): string {
  return traceparent ? `${text} /*traceparent='${traceparent}'*/` : text;
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

/** Requests that have been under way for a while, as their services see them. */
export function reportInFlight(world: World): void {
  for (const { instance, traceId, operation, began, step } of world.underWay) {
    const age = world.simulation.now - began;
    if (age < 2 * SECOND) continue;
    event(
      world,
      instance.resource,
      'lantern.request.in_flight',
      {
        'lantern.trace_id': traceId,
        'lantern.operation': operation,
        'lantern.step': step,
        'lantern.age_ms': Math.round(age / 1_000_000),
      },
      { traceId },
    );
  }
}
