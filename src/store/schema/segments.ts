import { bigint, integer, pgTable, primaryKey, smallint } from 'drizzle-orm/pg-core';
import { bytes, day } from './columns.ts';

/** Stretches of time in which requests began, and how often what is stored of one has changed. */
export const requestSlot = pgTable(
  'request_slot',
  {
    /** The day on which the rows of the traces lie. */
    day: day(),
    /** Ten minutes since 1970-01-01 in UTC, see `SLOT_MINUTES`. */
    slot: integer('slot').notNull(),
    changed: bigint('changed', { mode: 'number' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.day, table.slot] })],
);

/** The requests of a slot as columns. They are current as long as `changed` is that of the slot. */
export const requestSegment = pgTable(
  'request_segment',
  {
    day: day(),
    slot: integer('slot').notNull(),
    /** A slot with very many requests has several parts, in order of time. */
    part: smallint('part').notNull(),
    changed: bigint('changed', { mode: 'number' }).notNull(),
    /** Of the layout of the bytes. */
    version: smallint('version').notNull(),
    rows: integer('rows').notNull(),
    data: bytes('data').notNull(),
  },
  (table) => [primaryKey({ columns: [table.day, table.slot, table.part] })],
);
