import { index, integer, jsonb, pgTable, text, timestamp, unique } from 'drizzle-orm/pg-core';
import { count, hexBytes, seen } from './columns.ts';

/** Trouble that was found, one row for what belongs together. */
export const incident = pgTable(
  'incident',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    /** shift: found by itself; rule: by a rule of one's own. */
    source: text('source').notNull(),
    /** Of the rule; empty for shifts. */
    ruleId: text('rule_id').notNull(),
    /** Minutes since 1970-01-01: where it begins, where it was seen last, and when it was found. */
    firstMinute: integer('first_minute').notNull(),
    lastMinute: integer('last_minute').notNull(),
    foundMinute: integer('found_minute').notNull(),
    /** What moved, a list of `IncidentShift`. */
    shifts: jsonb('shifts').$type<unknown>().notNull(),
    acknowledged: timestamp('acknowledged', { withTimezone: true }),
    mutedUntil: timestamp('muted_until', { withTimezone: true }),
  },
  (table) => [index('incident_last').on(table.lastMinute)],
);

/** Series that are watched for shifts and are no operations of services, once each. */
export const watched = pgTable(
  'watched',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    /** See core/incidents/watchedSeries. */
    kind: text('kind').notNull(),
    owner: text('owner').notNull(),
    name: text('name').notNull(),
    seen: seen(),
    hash: hexBytes('hash').notNull(),
  },
  (table) => [unique('watched_hash').on(table.hash)],
);

/** What was sent to whom. */
export const notification = pgTable('notification', {
  id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
  at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
  incidentId: integer('incident_id').notNull(),
  /** webhook or mail */
  channel: text('channel').notNull(),
  recipient: text('recipient').notNull(),
  subject: text('subject').notNull(),
  body: text('body').notNull(),
  link: text('link').notNull(),
  attempts: count('attempts').notNull(),
});

/** Calls of the webhook, each with its attempts. */
export const webhookDelivery = pgTable('webhook_delivery', {
  id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
  incidentId: integer('incident_id').notNull(),
  body: text('body').notNull(),
  attempts: jsonb('attempts').$type<readonly { readonly at: string; readonly outcome: string }[]>().notNull().default([]),
  nextAt: timestamp('next_at', { withTimezone: true }).notNull().defaultNow(),
  /** When it got through, or was given up. */
  ended: timestamp('ended', { withTimezone: true }),
});
