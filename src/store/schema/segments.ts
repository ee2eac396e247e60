import { bigint, integer, pgTable, primaryKey, smallint, text } from 'drizzle-orm/pg-core';
import type { SegmentSubject, SlotSubject } from '../columns/slots.ts';
import { bytes, day } from './columns.ts';

/** Stretches of time in which records of a subject lie, and how often what is stored of one has changed. */
function slotTable<const Name extends `${SlotSubject}_slot`>(name: Name) {
  return pgTable(
    name,
    {
      /** The day on which the rows of the records lie. */
      day: day(),
      /** Ten minutes since 1970-01-01 in UTC, see `SLOT_MINUTES`. */
      slot: integer('slot').notNull(),
      changed: bigint('changed', { mode: 'number' }).notNull(),
    },
    (table) => [primaryKey({ columns: [table.day, table.slot] })],
  );
}

/** The records of a slot as columns. They are current as long as `changed` is that of the slot. */
function segmentTable<const Name extends `${SegmentSubject}_segment`>(name: Name) {
  return pgTable(
    name,
    {
      day: day(),
      slot: integer('slot').notNull(),
      /** A slot with very many records has several parts, in order of time. */
      part: smallint('part').notNull(),
      /** What the part is of, where those who read want some only; empty else. */
      label: text('label').notNull().default(''),
      changed: bigint('changed', { mode: 'number' }).notNull(),
      /** Of the layout of the bytes. */
      version: smallint('version').notNull(),
      rows: integer('rows').notNull(),
      data: bytes('data').notNull(),
    },
    (table) => [primaryKey({ columns: [table.day, table.slot, table.part] })],
  );
}

export const requestSlot = slotTable('request_slot');
export const requestSegment = segmentTable('request_segment');
/** By the hour: the slot is the first of it, and `changed` the sum of its slots'. */
export const requestSampleSegment = segmentTable('request_sample_segment');
export const requestTrafficSegment = segmentTable('request_traffic_segment');
export const logSlot = slotTable('log_slot');
export const logSegment = segmentTable('log_segment');
export const sessionSlot = slotTable('session_slot');
export const sessionSegment = segmentTable('session_segment');
/** By the hour, see `requestSampleSegment`. */
export const sessionHourSegment = segmentTable('session_hour_segment');
export const profileSlot = slotTable('profile_slot');
export const profileSegment = segmentTable('profile_segment');
export const machineSlot = slotTable('machine_slot');
export const machineSegment = segmentTable('machine_segment');
export const visitSlot = slotTable('visit_slot');
export const visitSegment = segmentTable('visit_segment');
