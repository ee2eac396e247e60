import { index, jsonb, pgTable, text, timestamp } from 'drizzle-orm/pg-core';

/** Trials of statements: what was tried and what was found, whole. */
export const planTrial = pgTable(
  'plan_trial',
  {
    id: text('id').primaryKey(),
    server: text('server').notNull(),
    statementId: text('statement_id').notNull(),
    begun: timestamp('begun', { withTimezone: true }).notNull(),
    trial: jsonb('trial').notNull(),
  },
  (it) => [index('plan_trial_begun').on(it.begun)],
);

/** Runs of a function and of alternatives to it: what was measured, whole. */
export const codeTrial = pgTable(
  'code_trial',
  {
    id: text('id').primaryKey(),
    /** What the runs are of: `service file function`. */
    subject: text('subject').notNull(),
    begun: timestamp('begun', { withTimezone: true }).notNull(),
    trial: jsonb('trial').notNull(),
  },
  (it) => [index('code_trial_subject').on(it.subject, it.begun)],
);
