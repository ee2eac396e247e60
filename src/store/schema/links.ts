import { pgTable, text, timestamp } from 'drizzle-orm/pg-core';

/** Addresses within the application that were given a short one. */
export const shortLink = pgTable('short_link', {
  key: text('key').primaryKey(),
  /** From the slash after the host on. */
  path: text('path').notNull(),
  made: timestamp('made', { withTimezone: true }).notNull().defaultNow(),
});
