import { bigint, boolean, index, integer, jsonb, pgTable, text, timestamp } from 'drizzle-orm/pg-core';
import type { EnvironmentRoles } from '../../core/accounts/role.ts';

/*
 * People, what they come in by, and what was done. The first five tables are laid out as the library for sign-in wants them. Nothing here is
 * dropped with the telemetry.
 */

const moment = (name: string) => timestamp(name, { withTimezone: true });
const count = (name: string) => bigint(name, { mode: 'number' });

export const accountUser = pgTable('account_user', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  email: text('email').notNull().unique(),
  emailVerified: boolean('email_verified').notNull().default(false),
  image: text('image'),
  createdAt: moment('created_at').notNull().defaultNow(),
  updatedAt: moment('updated_at').notNull().defaultNow(),
  twoFactorEnabled: boolean('two_factor_enabled').default(false),
  role: text('role').notNull().default('reader'),
  /** By environment, the role there in the place of that one. */
  environmentRoles: jsonb('environment_roles').$type<EnvironmentRoles>().notNull().default({}),
  /** Since when the person may not come in any more. */
  disabledAt: moment('disabled_at'),
});

export const accountSession = pgTable(
  'account_session',
  {
    id: text('id').primaryKey(),
    expiresAt: moment('expires_at').notNull(),
    token: text('token').notNull().unique(),
    createdAt: moment('created_at').notNull().defaultNow(),
    updatedAt: moment('updated_at').notNull().defaultNow(),
    ipAddress: text('ip_address'),
    userAgent: text('user_agent'),
    userId: text('user_id').notNull(),
  },
  (it) => [index('account_session_user').on(it.userId)],
);

/** A way in: a password, or an account at the provider. */
export const accountCredential = pgTable(
  'account_credential',
  {
    id: text('id').primaryKey(),
    accountId: text('account_id').notNull(),
    providerId: text('provider_id').notNull(),
    userId: text('user_id').notNull(),
    accessToken: text('access_token'),
    refreshToken: text('refresh_token'),
    idToken: text('id_token'),
    accessTokenExpiresAt: moment('access_token_expires_at'),
    refreshTokenExpiresAt: moment('refresh_token_expires_at'),
    scope: text('scope'),
    password: text('password'),
    createdAt: moment('created_at').notNull().defaultNow(),
    updatedAt: moment('updated_at').notNull().defaultNow(),
  },
  (it) => [index('account_credential_user').on(it.userId)],
);

export const accountVerification = pgTable(
  'account_verification',
  {
    id: text('id').primaryKey(),
    identifier: text('identifier').notNull(),
    value: text('value').notNull(),
    expiresAt: moment('expires_at').notNull(),
    createdAt: moment('created_at').notNull().defaultNow(),
    updatedAt: moment('updated_at').notNull().defaultNow(),
  },
  (it) => [index('account_verification_identifier').on(it.identifier)],
);

export const accountTwoFactor = pgTable(
  'account_two_factor',
  {
    id: text('id').primaryKey(),
    secret: text('secret').notNull(),
    backupCodes: text('backup_codes').notNull(),
    userId: text('user_id').notNull(),
    verified: boolean('verified').default(true),
    failedVerificationCount: integer('failed_verification_count').default(0),
    lockedUntil: moment('locked_until'),
  },
  (it) => [index('account_two_factor_user').on(it.userId)],
);

/** A link by which somebody sets a password: of somebody new, or of one who lost it. Its token is kept as a hash only. */
export const accountInvitation = pgTable('account_invitation', {
  tokenHash: text('token_hash').primaryKey(),
  email: text('email').notNull(),
  role: text('role').notNull(),
  /** The person who is to set a new password; null when somebody new is invited. */
  userId: text('user_id'),
  by: text('by').notNull(),
  at: moment('at').notNull().defaultNow(),
  expiresAt: moment('expires_at').notNull(),
});

/** A token that telemetry is sent with. */
export const senderToken = pgTable('sender_token', {
  id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
  name: text('name').notNull(),
  /** How the token begins: enough to tell it from others. */
  prefix: text('prefix').notNull(),
  tokenHash: text('token_hash').notNull().unique(),
  /** The environment that all that is sent with it is of; null for what the sender says itself. */
  environment: text('environment'),
  signals: text('signals').array().notNull(),
  /** Bytes, and records, that it may send a minute; null for no bound but those of the door. */
  bytesPerMinute: count('bytes_per_minute'),
  recordsPerMinute: count('records_per_minute'),
  /** Names of operations, peers, attributes, values, series and the like that were not known before. */
  namesPerMinute: count('names_per_minute'),
  by: text('by').notNull(),
  at: moment('at').notNull().defaultNow(),
  expiresAt: moment('expires_at'),
  lastUsed: moment('last_used'),
  /** Requests that were not taken since it was made. */
  refused: count('refused').notNull().default(0),
});

/** A token by which a program asks the interface, in the name of the person who made it. */
export const programToken = pgTable(
  'program_token',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    userId: text('user_id').notNull(),
    name: text('name').notNull(),
    prefix: text('prefix').notNull(),
    tokenHash: text('token_hash').notNull().unique(),
    role: text('role').notNull(),
    at: moment('at').notNull().defaultNow(),
    expiresAt: moment('expires_at'),
    lastUsed: moment('last_used'),
  },
  (it) => [index('program_token_user').on(it.userId)],
);

/** What was done, by whom. Rows are only ever added: a rule of the database refuses changes. */
export const auditEntry = pgTable(
  'audit_entry',
  {
    id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    at: moment('at').notNull().defaultNow(),
    /** The person's id, and how they were called then; a program's has the name of its token in `by`. */
    userId: text('user_id').notNull(),
    by: text('by').notNull(),
    address: text('address').notNull(),
    /** Such as `PUT /api/rules` or `signed in`. */
    action: text('action').notNull(),
    /** What of: short and without secrets. */
    about: jsonb('about').notNull(),
    status: integer('status').notNull(),
  },
  (it) => [index('audit_entry_at').on(it.at)],
);
