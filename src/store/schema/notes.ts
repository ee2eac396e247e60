import { bigint, integer, pgTable, text } from 'drizzle-orm/pg-core';

/** What somebody noted at a moment, for all to see on the axes of time. It stays when the data of its day is dropped. */
export const timeNote = pgTable('time_note', {
  id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
  /** Epoch milliseconds: of what it is about, and when it was written. */
  at: bigint('at_ms', { mode: 'number' }).notNull(),
  made: bigint('made_ms', { mode: 'number' }).notNull(),
  text: text('text').notNull(),
  /** Who wrote it; empty where nobody signs in and no name was given. */
  by: text('written_by').notNull(),
  /** The page that it was written on, from the slash after the host on. */
  path: text('path').notNull(),
});
