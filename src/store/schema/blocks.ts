import { doublePrecision, index, integer, jsonb, pgTable, primaryKey, text, timestamp } from 'drizzle-orm/pg-core';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { bytes, count, day, epochNanos, hexBytes } from './columns.ts';

/**
 * Telemetry as it came: some records of one request, an OTLP export request of their own, deflated. Nothing of what the sender wrote
 * is lost; what is needed to find and count records stands in the tables beside.
 */
function blockTable<const Name extends string>(name: Name) {
  return pgTable(
    name,
    {
      day: day(),
      /** From the hash of the request that brought it. */
      blockId: count('block_id').notNull(),
      arrived: timestamp('arrived', { withTimezone: true }).notNull().defaultNow(),
      firstNs: epochNanos('first_ns').notNull(),
      lastNs: epochNanos('last_ns').notNull(),
      records: integer('records').notNull(),
      /** Size before it was deflated. */
      rawBytes: integer('raw_bytes').notNull(),
      data: bytes('data').notNull(),
    },
    (table) => [primaryKey({ columns: [table.blockId, table.day] }), index(`${name}_last`).on(table.lastNs)],
  );
}

export type BlockTable = ReturnType<typeof blockTable<string>>;

export const spanBlock = blockTable('span_block');
export const logBlock = blockTable('log_block');
export const metricBlock = blockTable('metric_block');
export const profileBlock = blockTable('profile_block');

export const BLOCK_TABLES: Readonly<Record<Signal, BlockTable>> = {
  traces: spanBlock,
  logs: logBlock,
  metrics: metricBlock,
  profiles: profileBlock,
};

/** Request bodies that were kept, so that a repeated one changes nothing and gets the same answer. */
export const intakeBody = pgTable(
  'intake_body',
  {
    hash: hexBytes('hash').primaryKey(),
    at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
    accepted: integer('accepted').notNull(),
    rejected: integer('rejected').notNull(),
    message: text('message').notNull(),
  },
  (table) => [index('intake_body_at').on(table.at)],
);

/** Days that are no longer kept, and why. */
export const droppedDay = pgTable('dropped_day', {
  id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
  at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
  signal: text('signal').notNull(),
  day: integer('day').notNull(),
  /** age or size */
  reason: text('reason').notNull(),
  records: count('records').notNull(),
  bytes: count('bytes').notNull(),
  /** Of a day that went on: what was of before this moment was dropped; null for all of the day. */
  until: timestamp('until', { withTimezone: true }),
});

/** How much a row takes in a table of a day of which hours were dropped, with its indexes: by that its spare room is known. */
export const spareRoom = pgTable(
  'spare_room',
  {
    day: integer('day').notNull(),
    /** Without the day. */
    table: text('table').notNull(),
    rowBytes: doublePrecision('row_bytes').notNull(),
  },
  (it) => [primaryKey({ columns: [it.day, it.table] })],
);

/** What came in by the minute: all of a signal under an empty reason, what was not taken under each reason. */
export const intakeMinute = pgTable(
  'intake_minute',
  {
    minute: integer('minute').notNull(),
    signal: text('signal').notNull(),
    reason: text('reason').notNull(),
    requests: count('requests').notNull(),
    records: count('records').notNull(),
    repeated: count('repeated').notNull(),
    bytes: count('bytes').notNull(),
    masked: count('masked').notNull(),
    busyMs: count('busy_ms').notNull(),
    slowestMs: count('slowest_ms').notNull(),
  },
  (table) => [primaryKey({ columns: [table.minute, table.signal, table.reason] })],
);

/** Who has sent what. */
export const sender = pgTable(
  'sender',
  {
    signal: text('signal').notNull(),
    service: text('service').notNull(),
    version: text('version').notNull(),
    /** Language, name and version of the SDK, as far as sent. */
    sdk: text('sdk').notNull(),
    instance: text('instance').notNull(),
    first: timestamp('first', { withTimezone: true }).notNull(),
    last: timestamp('last', { withTimezone: true }).notNull(),
    records: count('records').notNull(),
    withTrace: count('with_trace').notNull(),
    /** How far the end of the newest record was ahead of the clock here when it came; below zero in good order. */
    aheadMs: count('ahead_ms').notNull(),
  },
  (table) => [primaryKey({ columns: [table.signal, table.service, table.version, table.sdk, table.instance] })],
);

/** Settings that are made while it runs. */
export const setting = pgTable('setting', { name: text('name').primaryKey(), value: jsonb('value').notNull() });
