import { index, integer, pgTable } from 'drizzle-orm/pg-core';
import { count, day, hexBytes } from './columns.ts';

/** In which blocks the log records of a trace lie. */
export const logTrace = pgTable(
  'log_trace',
  {
    day: day(),
    traceId: hexBytes('trace_id').notNull(),
    blockId: count('block_id').notNull(),
    records: integer('records').notNull(),
  },
  (table) => [index('log_trace_id').on(table.traceId)],
);

/** Log records by the minute and `log_kind.id`; added to and merged like the rollups of spans. */
export const logMinute = pgTable(
  'log_minute',
  {
    day: day(),
    minute: integer('minute').notNull(),
    keyId: integer('key_id').notNull(),
    records: count('records').notNull(),
    /** How many of them name a trace. */
    withTrace: count('with_trace').notNull(),
  },
  (table) => [index('log_minute_key').on(table.keyId, table.minute), index('log_minute_minute').on(table.minute)],
);
