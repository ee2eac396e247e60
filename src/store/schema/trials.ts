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
