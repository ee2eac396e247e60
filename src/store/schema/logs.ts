import { bigint, boolean, index, integer, jsonb, pgTable, text } from 'drizzle-orm/pg-core';
import { count, day, epochNanos, hexBytes } from './columns.ts';

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

/** The message shapes of log lines, one tree for all processes. */
export const logShape = pgTable(
  'log_shape',
  {
    /** Hash of the template. */
    id: text('id').primaryKey(),
    /** Its words, in order; a hole where they vary. */
    template: jsonb('template').$type<readonly string[]>().notNull(),
    /** The shape that it became when it was generalised; its own id otherwise. */
    countedAs: text('counted_as').notNull(),
    /** Whether lines were forced into it because there were too many shapes. */
    coarse: boolean('coarse').notNull(),
    /** The earliest line of it that was read, epoch nanoseconds. */
    firstNs: epochNanos('first_ns').notNull(),
    /** By hand: the shape that it is counted together with. */
    joinedTo: text('joined_to'),
    /** By hand: the shape that it is told apart of. Its lines keep the id of that one, and are told by their values. */
    apartOf: text('apart_of'),
    /** Rises with each change of the tree, and of what was decided by hand. */
    version: bigint('version', { mode: 'number' }).notNull(),
  },
  (table) => [index('log_shape_version').on(table.version)],
);
