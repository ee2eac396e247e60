import { sql } from 'drizzle-orm';
import { bigint, boolean, index, integer, pgTable, primaryKey, text } from 'drizzle-orm/pg-core';
import { bytes, count, day, epochNanos, hexBytes } from './columns.ts';

/** One row a trace, kept up to date in the transaction that writes its spans. */
export const trace = pgTable(
  'trace',
  {
    /** The day of the span that came first; all of a trace lies there. */
    day: day(),
    traceId: hexBytes('trace_id').notNull(),
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
    durationNs: count('duration_ns').notNull(),
    /** The first user and session that one of its spans names. */
    userRef: text('user_ref'),
    sessionRef: text('session_ref'),
    /** Distinct `facet.id` of all its spans and their resources. */
    facetIds: integer('facet_ids').array().notNull().default([]),
    /** `span_block.block_id` of all its spans. */
    blocks: bigint('blocks', { mode: 'number' }).array().notNull(),
    /** The last four bytes of each span's id, one after the other: a span that came before is suspected by them. */
    spanKeys: bytes('span_keys').notNull(),
    /** Ends of calls between its spans, see openEnds. */
    unmatchedCalls: bytes('unmatched_calls').notNull().default(sql`'\\x'::bytea`),
  },
  (table) => [primaryKey({ columns: [table.traceId, table.day] }), index('trace_start').on(table.startNs)],
);

/**
 * Counts by the minute, written with the records they count. Each request adds rows of its own; those of a closed minute are brought
 * together later, so a figure is always the sum over all rows of its key and minute.
 */
function rollupTable(name: string) {
  return pgTable(
    name,
    {
      day: day(),
      /** Minutes since 1970-01-01 in UTC. */
      minute: integer('minute').notNull(),
      /** Of the dictionary that the table is about. */
      keyId: integer('key_id').notNull(),
      /** Whether these are spans without a parent, the entries of requests. */
      entry: boolean('entry').notNull(),
      calls: count('calls').notNull(),
      failures: count('failures').notNull(),
      /** Of the failures, those whose answer blames the caller. */
      clientErrors: count('client_errors').notNull().default(0),
      /** Total duration of those that went well, and of those that failed. */
      okNs: count('ok_ns').notNull(),
      failedNs: count('failed_ns').notNull(),
      /** Durations of all, see core/measures/sketch. */
      sketch: bytes('sketch').notNull(),
    },
    (table) => [index(`${name}_key`).on(table.keyId, table.minute), index(`${name}_minute`).on(table.minute)],
  );
}

export type RollupTable = ReturnType<typeof rollupTable>;

/** By `operation.id`; 0 for all entries of requests together. */
export const operationMinute = rollupTable('operation_minute');
/** By `call.id`. */
export const callMinute = rollupTable('call_minute');
/** By `callEdge.id`, in the minute of the call. */
export const callEdgeMinute = rollupTable('call_edge_minute');
/** By `instance.id`: requests that it handled. */
export const instanceMinute = rollupTable('instance_minute');
