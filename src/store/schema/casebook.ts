import { bigint, index, integer, jsonb, pgTable, primaryKey, text, timestamp } from 'drizzle-orm/pg-core';
import { bytes } from './columns.ts';

const millis = (name: string) => bigint(name, { mode: 'number' });

/** Cases: the shared document, and what it says. Nothing of a case is dropped with the telemetry. */
export const casebookCase = pgTable(
  'casebook_case',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    /** The document whole, as a Yjs update. */
    doc: bytes('doc').notNull(),
    /** What the document says, see core/casebook/caseContent. */
    content: jsonb('content').notNull(),
    /** Of the last change. */
    sequence: integer('sequence').notNull().default(0),
    created: timestamp('created', { withTimezone: true }).notNull().defaultNow(),
    changed: timestamp('changed', { withTimezone: true }).notNull().defaultNow(),
    /** When it was deleted; it can be taken back for a day. */
    deleted: timestamp('deleted', { withTimezone: true }),
    /** The impact as it was worked out last, and when. */
    worked: jsonb('worked'),
    workedAt: timestamp('worked_at', { withTimezone: true }),
  },
  (it) => [index('casebook_changed').on(it.changed)],
);

/** Changes of a document, for those who have it open; the newest of each case are kept. */
export const casebookChange = pgTable(
  'casebook_change',
  {
    caseId: integer('case_id').notNull(),
    sequence: integer('sequence').notNull(),
    at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
    /** The part of the browser that sent it, so that it need not be sent back. */
    origin: text('origin').notNull(),
    body: bytes('body').notNull(),
  },
  (it) => [primaryKey({ columns: [it.caseId, it.sequence] })],
);

/** What a case said, each time that somebody else wrote or some time had passed. */
export const casebookVersion = pgTable(
  'casebook_version',
  {
    caseId: integer('case_id').notNull(),
    sequence: integer('sequence').notNull(),
    begun: timestamp('begun', { withTimezone: true }).notNull(),
    ended: timestamp('ended', { withTimezone: true }).notNull(),
    by: text('by').notNull(),
    /** What was changed, in words. */
    words: text('words').notNull(),
    content: jsonb('content').notNull(),
  },
  (it) => [primaryKey({ columns: [it.caseId, it.sequence] })],
);

/** Frozen copies of what pages showed. */
export const casebookPin = pgTable(
  'casebook_pin',
  {
    id: text('id').primaryKey(),
    caseId: integer('case_id').notNull(),
    kind: text('kind').notNull(),
    title: text('title').notNull(),
    at: millis('at').notNull(),
    by: text('by').notNull(),
    scope: jsonb('scope').notNull(),
    /** The page, path and query. */
    path: text('path').notNull(),
    /** What was asked for it, to be asked again: names and values of a question. */
    asked: jsonb('asked').notNull(),
    evidence: jsonb('evidence').notNull(),
    about: jsonb('about').notNull(),
    /** The answer that it was made from, deflated; empty when that was too long. */
    raw: bytes('raw').notNull(),
    rawBytes: integer('raw_bytes').notNull(),
  },
  (it) => [index('casebook_pin_case').on(it.caseId)],
);

/** Pages that were looked at while a case was open. */
export const casebookStep = pgTable(
  'casebook_step',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    caseId: integer('case_id').notNull(),
    at: millis('at').notNull(),
    by: text('by').notNull(),
    path: text('path').notNull(),
    title: text('title').notNull(),
  },
  (it) => [index('casebook_step_case').on(it.caseId, it.id)],
);

/** Frozen views of cases for people who may only read. */
export const casebookShare = pgTable(
  'casebook_share',
  {
    token: text('token').primaryKey(),
    caseId: integer('case_id').notNull(),
    at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
    by: text('by').notNull(),
    /** The hand-over as it was, see core/casebook/handover. */
    handOver: jsonb('hand_over').notNull(),
  },
  (it) => [index('casebook_share_case').on(it.caseId)],
);
