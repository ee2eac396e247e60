import {
  bigint,
  boolean,
  customType,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  smallint,
  text,
  timestamp,
  unique,
} from 'drizzle-orm/pg-core';
import type { Attributes } from '../core/trace/span.ts';

/** Bytes in the table, lower-case hex in the program. */
const hexBytes = customType<{ data: string; driverData: Buffer }>({
  dataType: () => 'bytea',
  toDriver: (hex) => Buffer.from(hex, 'hex'),
  fromDriver: (bytes) => bytes.toString('hex'),
});

const epochNanos = (name: string) => bigint(name, { mode: 'bigint' });
const nanos = (name: string) => bigint(name, { mode: 'number' });

/** Dictionary: what is done where. `kind` is OpenTelemetry's number of the span kind. */
export const operation = pgTable(
  'operation',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    service: text('service').notNull(),
    name: text('name').notNull(),
    kind: smallint('kind').notNull(),
    /** MD5 of the three, since an index entry has no room for a name of any length. */
    hash: hexBytes('hash').notNull(),
  },
  (table) => [unique('operation_hash').on(table.hash)],
);

/** Dictionary: who reports. `hash` is the MD5 of what follows it. */
export const reporter = pgTable(
  'reporter',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    hash: hexBytes('hash').notNull(),
    resource: jsonb('resource').$type<Attributes>().notNull(),
    scopeName: text('scope_name').notNull(),
    scopeVersion: text('scope_version').notNull(),
  },
  (table) => [unique('reporter_hash').on(table.hash)],
);

export const span = pgTable(
  'span',
  {
    traceId: hexBytes('trace_id').notNull(),
    spanId: hexBytes('span_id').notNull(),
    parentSpanId: hexBytes('parent_span_id'),
    startNs: epochNanos('start_ns').notNull(),
    durationNs: nanos('duration_ns').notNull(),
    operationId: integer('operation_id').notNull(),
    reporterId: integer('reporter_id').notNull(),
    status: smallint('status').notNull(),
    statusMessage: text('status_message').notNull(),
    traceState: text('trace_state').notNull(),
    attributes: jsonb('attributes').$type<Attributes>().notNull(),
    events: jsonb('events'),
    links: jsonb('links'),
  },
  (table) => [primaryKey({ columns: [table.traceId, table.spanId] })],
);

/** One row a trace, kept up to date in the transaction that writes its spans. */
export const trace = pgTable(
  'trace',
  {
    traceId: hexBytes('trace_id').primaryKey(),
    startNs: epochNanos('start_ns').notNull(),
    spanCount: integer('span_count').notNull(),
    failedSpanCount: integer('failed_span_count').notNull(),
    /** Distinct `operation.id` of all its spans, in ascending order. */
    operationIds: integer('operation_ids').array().notNull(),
    /** The earliest span without a parent; as long as none has come, the earliest span, and `root_found` is false. */
    rootFound: boolean('root_found').notNull(),
    rootStartNs: epochNanos('root_start_ns').notNull(),
    rootSpanId: hexBytes('root_span_id').notNull(),
    rootOperationId: integer('root_operation_id').notNull(),
    rootFailed: boolean('root_failed').notNull(),
    /** The root's. */
    durationNs: nanos('duration_ns').notNull(),
  },
  (table) => [index('trace_start').on(table.startNs), index('trace_duration').on(table.durationNs, table.traceId)],
);

/** Request bodies that were kept, so that a repeated one changes nothing and gets the same answer. */
export const intakeBody = pgTable('intake_body', {
  hash: hexBytes('hash').primaryKey(),
  at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
  accepted: integer('accepted').notNull(),
  rejected: integer('rejected').notNull(),
  message: text('message').notNull(),
});
