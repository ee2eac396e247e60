import { index, integer, pgTable, primaryKey, text, timestamp } from 'drizzle-orm/pg-core';
import { bytes } from './columns.ts';

/** Source maps of what browsers run, by application, release and file. */
export const sourceMap = pgTable(
  'source_map',
  {
    app: text('app').notNull(),
    release: text('release').notNull(),
    /** The name of the file that runs, without folders. */
    file: text('file').notNull(),
    stored: timestamp('stored', { withTimezone: true }).notNull().defaultNow(),
    /** Bytes before it was deflated. */
    size: integer('size').notNull(),
    /** Deflated. */
    map: bytes('map').notNull(),
  },
  (it) => [primaryKey({ columns: [it.app, it.release, it.file] }), index('source_map_stored').on(it.stored)],
);
