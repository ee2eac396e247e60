import { boolean, doublePrecision, index, integer, jsonb, pgTable, text } from 'drizzle-orm/pg-core';
import type { Attributes } from '../../core/trace/span.ts';
import { bytes, count, day, epochNanos, seen } from './columns.ts';

/*
 * The project's own events (docs/events.md), each kind in a table. The log record that brought a row is kept as it came, too.
 */
const when = () => ({ day: day(), timeNs: epochNanos('time_ns').notNull(), service: text('service').notNull() });

/** The sessions of a database server at some moments that came together, see `packSeconds`. */
export const dbBlock = pgTable(
  'db_block',
  {
    day: day(),
    service: text('service').notNull(),
    system: text('system').notNull(),
    server: text('server').notNull(),
    firstNs: epochNanos('first_ns').notNull(),
    lastNs: epochNanos('last_ns').notNull(),
    seconds: integer('seconds').notNull(),
    /** Sessions at all of these moments. */
    samples: integer('samples').notNull(),
    data: bytes('data').notNull(),
  },
  (table) => [index('db_block_last').on(table.lastNs)],
);

/** The text of a statement by its id, values left out. */
export const statementText = pgTable('statement_text', {
  id: text('id').primaryKey(),
  system: text('system').notNull(),
  text: text('text').notNull(),
  seen: seen(),
});

/** What a statement has cost since its counters began. */
export const dbStatement = pgTable(
  'db_statement',
  {
    ...when(),
    system: text('system').notNull(),
    server: text('server').notNull(),
    database: text('database').notNull(),
    statementId: text('statement_id').notNull(),
    calls: count('calls').notNull(),
    totalMs: doublePrecision('total_ms').notNull(),
    rows: count('rows').notNull(),
    blocksHit: count('blocks_hit').notNull(),
    blocksRead: count('blocks_read').notNull(),
    blocksTemporary: count('blocks_temporary').notNull().default(0),
    readMs: doublePrecision('read_ms').notNull().default(0),
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

/** A request that was running when its service looked. */
export const inFlight = pgTable(
  'in_flight',
  {
    ...when(),
    instance: text('instance').notNull().default(''),
    traceId: text('trace_id').notNull(),
    spanId: text('span_id').notNull().default(''),
    operation: text('operation').notNull(),
    step: text('step').notNull(),
    ageMs: doublePrecision('age_ms').notNull(),
    state: text('state').notNull().default('running'),
    outcome: text('outcome').notNull().default(''),
    wait: text('wait').notNull().default(''),
    look: text('look').notNull().default(''),
    thread: text('thread').notNull().default(''),
    statement: text('statement').notNull().default(''),
    /** The id of its stack, see `stackText`; empty for none. */
    stack: text('stack').notNull(),
    /** Whether a span without an end told it, once and for all, and not a report that comes every few seconds. */
    openSpan: boolean('open_span').notNull().default(false),
  },
  (table) => [index('in_flight_time').on(table.timeNs), index('in_flight_trace').on(table.traceId, table.timeNs)],
);

/** Stacks of running requests by a hash of their text: most come again. */
export const stackText = pgTable('stack_text', {
  id: text('id').primaryKey(),
  text: text('text').notNull(),
  seen: seen(),
});

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
    /** The id of what it runs on; empty when that is not said. */
    standsOn: text('stands_on').notNull().default(''),
    /** Ids of what it is given: settings, secrets, volumes. */
    uses: jsonb('uses').$type<string[]>().notNull().default([]),
    labels: jsonb('labels').$type<Record<string, string>>().notNull().default({}),
  },
  (table) => [
    index('inventory_kind').on(table.kind, table.objectId, table.timeNs),
    index('inventory_object').on(table.objectId, table.timeNs),
  ],
);

/** Something that happened to an object: a pod was killed, could not be placed, started. */
export const objectEvent = pgTable(
  'object_event',
  {
    ...when(),
    objectId: text('object_id').notNull(),
    kind: text('kind').notNull(),
    name: text('name').notNull(),
    reason: text('reason').notNull(),
    message: text('message').notNull(),
    /** Whether it is trouble. */
    trouble: boolean('trouble').notNull(),
    count: integer('count').notNull(),
  },
  (table) => [index('object_event_time').on(table.timeNs), index('object_event_object').on(table.objectId, table.timeNs)],
);

/** The busiest processes of a host at a moment. */
export const hostProcesses = pgTable(
  'host_processes',
  {
    ...when(),
    host: text('host').notNull(),
    /** See `lantern.host.processes`. */
    processes: jsonb('processes').$type<unknown[]>().notNull(),
  },
  (table) => [index('host_processes_host').on(table.host, table.timeNs)],
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
    /** Facts of the whole visit, see `lantern.visit.about`. */
    about: jsonb('about').$type<Attributes>().notNull().default({}),
  },
  (table) => [index('visit_session').on(table.session, table.timeNs), index('visit_time').on(table.timeNs)],
);

/** A run of a scripted check. */
export const checkRun = pgTable(
  'check_run',
  {
    ...when(),
    name: text('name').notNull(),
    kind: text('kind').notNull(),
    ok: boolean('ok').notNull(),
    durationMs: doublePrecision('duration_ms').notNull(),
    place: text('place').notNull(),
    error: text('error').notNull(),
    /** See `lantern.check`. */
    steps: jsonb('steps').$type<unknown[]>().notNull(),
    picture: text('picture').notNull(),
    page: text('page').notNull(),
    traceId: text('trace_id').notNull(),
  },
  (table) => [index('check_run_time').on(table.timeNs)],
);
