import { boolean, doublePrecision, index, integer, jsonb, pgTable, text } from 'drizzle-orm/pg-core';
import type { Attributes } from '../../core/trace/span.ts';
import { count, day, epochNanos } from './columns.ts';

/*
 * The project's own events (docs/events.md), each kind in a table. The log record that brought a row is kept as it came, too.
 */
const when = () => ({ day: day(), timeNs: epochNanos('time_ns').notNull(), service: text('service').notNull() });

/** A database session as a sampler saw it at one moment. */
export const dbSample = pgTable(
  'db_sample',
  {
    ...when(),
    system: text('system').notNull(),
    server: text('server').notNull(),
    database: text('database').notNull(),
    session: text('session').notNull(),
    blockedBy: text('blocked_by').array().notNull(),
    user: text('user').notNull(),
    program: text('program').notNull(),
    client: text('client').notNull(),
    state: text('state').notNull(),
    waitClass: text('wait_class').notNull(),
    waitEvent: text('wait_event').notNull(),
    statement: text('statement').notNull(),
    statementId: text('statement_id').notNull(),
    traceId: text('trace_id').notNull(),
  },
  (table) => [index('db_sample_time').on(table.timeNs), index('db_sample_trace').on(table.traceId)],
);

/** What a statement has cost since its counters began. */
export const dbStatement = pgTable(
  'db_statement',
  {
    ...when(),
    system: text('system').notNull(),
    server: text('server').notNull(),
    database: text('database').notNull(),
    statementId: text('statement_id').notNull(),
    statement: text('statement').notNull(),
    calls: count('calls').notNull(),
    totalMs: doublePrecision('total_ms').notNull(),
    rows: count('rows').notNull(),
    blocksHit: count('blocks_hit').notNull(),
    blocksRead: count('blocks_read').notNull(),
  },
  (table) => [index('db_statement_id').on(table.statementId, table.timeNs)],
);

/** A plan that a database chose for a statement. */
export const dbPlan = pgTable(
  'db_plan',
  {
    ...when(),
    system: text('system').notNull(),
    server: text('server').notNull(),
    database: text('database').notNull(),
    statementId: text('statement_id').notNull(),
    planId: text('plan_id').notNull(),
    plan: text('plan').notNull(),
    totalCost: doublePrecision('total_cost').notNull(),
  },
  (table) => [index('db_plan_id').on(table.statementId, table.timeNs)],
);

/** A request that was under way when its service was looked at. */
export const inFlight = pgTable(
  'in_flight',
  {
    ...when(),
    traceId: text('trace_id').notNull(),
    operation: text('operation').notNull(),
    step: text('step').notNull(),
    ageMs: doublePrecision('age_ms').notNull(),
    stack: text('stack').notNull(),
  },
  (table) => [index('in_flight_time').on(table.timeNs)],
);

/** Something was changed: a deployment, a setting, a job that began or ended. */
export const change = pgTable(
  'change',
  {
    ...when(),
    kind: text('kind').notNull(),
    phase: text('phase').notNull(),
    title: text('title').notNull(),
    version: text('version').notNull(),
    actor: text('actor').notNull(),
    detail: jsonb('detail').$type<Attributes>().notNull(),
  },
  (table) => [index('change_time').on(table.timeNs)],
);

/** A host, machine, pod or other object as it was at a time. */
export const inventory = pgTable(
  'inventory',
  {
    ...when(),
    kind: text('kind').notNull(),
    objectId: text('object_id').notNull(),
    name: text('name').notNull(),
    partOf: text('part_of').notNull(),
    gone: boolean('gone').notNull(),
    specification: text('specification').notNull(),
    detail: jsonb('detail').$type<Attributes>().notNull(),
  },
  (table) => [index('inventory_object').on(table.objectId, table.timeNs)],
);

/** Something that a visitor saw or did: a page view, an action, an error, a measure of how the page felt. */
export const visit = pgTable(
  'visit',
  {
    ...when(),
    session: text('session').notNull(),
    userRef: text('user_ref').notNull(),
    kind: text('kind').notNull(),
    page: text('page').notNull(),
    name: text('name').notNull(),
    durationMs: doublePrecision('duration_ms'),
    traceId: text('trace_id').notNull(),
    order: integer('order').notNull(),
    detail: jsonb('detail').$type<Attributes>().notNull(),
  },
  (table) => [index('visit_session').on(table.session, table.timeNs), index('visit_time').on(table.timeNs)],
);
