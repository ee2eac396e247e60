import { index, integer, pgTable, smallint, text } from 'drizzle-orm/pg-core';
import { count, day, epochNanos } from './columns.ts';

/** One row a profile; its samples and stacks stand in its block. */
export const profile = pgTable(
  'profile',
  {
    day: day(),
    blockId: count('block_id').notNull(),
    /** Which of the block's profiles it is, counted from 0. */
    place: smallint('place').notNull(),
    resourceId: integer('resource_id').notNull(),
    service: text('service').notNull(),
    timeNs: epochNanos('time_ns').notNull(),
    durationNs: count('duration_ns').notNull(),
    /** What its values measure, such as cpu in nanoseconds. */
    type: text('type').notNull(),
    unit: text('unit').notNull(),
    samples: integer('samples').notNull(),
    total: count('total').notNull(),
    /** How many samples name a span. */
    linked: integer('linked').notNull(),
  },
  (table) => [index('profile_time').on(table.service, table.timeNs)],
);
