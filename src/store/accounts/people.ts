import { and, count, desc, eq, gt, isNull, sql } from 'drizzle-orm';
import { type EnvironmentRoles, isAtLeast, type Role, type Roles, roleIn } from '../../core/accounts/role.ts';
import { database, inTransaction } from '../database/connection.ts';
import { accountCredential, accountSession, accountUser } from '../schema/index.ts';
import { NotPossible } from './notPossible.ts';

export interface Person extends Roles {
  readonly id: string;
  readonly name: string;
  readonly email: string;
  readonly createdAt: Date;
  readonly disabledAt: Date | null;
  readonly hasSecondFactor: boolean;
  /** How many sessions are open. */
  readonly sessions: number;
  /** By what the person comes in: `credential` for a password, else the provider. */
  readonly ways: readonly string[];
  readonly lastSeen: Date | null;
}

/** More are not let in. */
export const MOST_PEOPLE = 5_000;

export async function people(): Promise<Person[]> {
  const open = database()
    .select({
      userId: accountSession.userId,
      sessions: count().as('sessions'),
      lastSeen: sql<Date>`max(${accountSession.updatedAt})`.as('last_seen'),
    })
    .from(accountSession)
    .where(gt(accountSession.expiresAt, new Date()))
    .groupBy(accountSession.userId)
    .as('open');
  const ways = database()
    .select({
      userId: accountCredential.userId,
      ways: sql<string[]>`array_agg(DISTINCT ${accountCredential.providerId})`.as('ways'),
    })
    .from(accountCredential)
    .groupBy(accountCredential.userId)
    .as('ways_in');
  const rows = await database()
    .select({
      id: accountUser.id,
      name: accountUser.name,
      email: accountUser.email,
      role: accountUser.role,
      environments: accountUser.environmentRoles,
      createdAt: accountUser.createdAt,
      disabledAt: accountUser.disabledAt,
      hasSecondFactor: accountUser.twoFactorEnabled,
      sessions: open.sessions,
      lastSeen: open.lastSeen,
      ways: ways.ways,
    })
    .from(accountUser)
    .leftJoin(open, eq(open.userId, accountUser.id))
    .leftJoin(ways, eq(ways.userId, accountUser.id))
    .orderBy(accountUser.name)
    .limit(MOST_PEOPLE);
  return rows.map((it) => ({
    ...it,
    role: it.role as Role,
    hasSecondFactor: it.hasSecondFactor ?? false,
    sessions: it.sessions ?? 0,
    lastSeen: it.lastSeen === null ? null : new Date(it.lastSeen),
    ways: it.ways ?? [],
  }));
}

/** Whether somebody can decide on people: without one, the way in is a link of the command line. */
export async function hasAdministrator(): Promise<boolean> {
  const rows = await database()
    .select({ id: accountUser.id })
    .from(accountUser)
    .where(and(eq(accountUser.role, 'administrator'), isNull(accountUser.disabledAt)))
    .limit(1);
  return rows.length > 0;
}

/** What may be changed of a person: what is absent stays. */
export interface PersonChange {
  readonly role?: Role;
  readonly environments?: EnvironmentRoles;
  readonly disabled?: boolean;
}

interface PersonRow {
  readonly id: string;
  readonly role: Role;
  readonly disabled_at: Date | null;
  readonly environment_roles: EnvironmentRoles;
}

/**
 * Changes what a person may do. Who may do less, or nothing, is signed out everywhere.
 *
 * @throws NotPossible when nobody would be left who could decide on people
 * @returns whether there is such a person
 */
export async function changePerson(id: string, change: PersonChange): Promise<boolean> {
  return inTransaction(async (client) => {
    // One at a time: two administrators who demote each other at once would leave none.
    const { rows } = await client.query<PersonRow>(
      'SELECT id, role, disabled_at, environment_roles FROM account_user ORDER BY id FOR UPDATE',
    );
    const before = rows.find((it) => it.id === id);
    if (!before) return false;
    const role = change.role ?? before.role;
    const environments = change.environments ?? before.environment_roles;
    const isDisabled = change.disabled ?? before.disabled_at !== null;
    const others = rows.some((it) => it.id !== id && it.role === 'administrator' && it.disabled_at === null);
    if (!others && before.role === 'administrator' && before.disabled_at === null && (role !== 'administrator' || isDisabled))
      throw new NotPossible('nobody else is an administrator: make somebody one first');
    await client.query(
      `UPDATE account_user SET role = $2, disabled_at = CASE WHEN $3 THEN coalesce(disabled_at, now()) END, environment_roles = $4,
         updated_at = now() WHERE id = $1`,
      [id, role, isDisabled, JSON.stringify(environments)],
    );
    if (role !== before.role || isDisabled || mayLess(before, { role, environments }))
      await client.query('DELETE FROM account_session WHERE user_id = $1', [id]);
    return true;
  });
}

/** Whether somebody may do less than before in some environment. */
function mayLess({ role, environment_roles: environments }: PersonRow, now: Roles): boolean {
  const before = { role, environments };
  const all = new Set([...Object.keys(environments), ...Object.keys(now.environments)]);
  return [...all].some((it) => !isAtLeast(roleIn(now, it), roleIn(before, it)));
}

/** Ends all sessions of a person but one. @returns how many */
export async function endSessions(userId: string, but = ''): Promise<number> {
  const ended = await database()
    .delete(accountSession)
    .where(and(eq(accountSession.userId, userId), sql`${accountSession.id} <> ${but}`))
    .returning({ id: accountSession.id });
  return ended.length;
}

/** Sessions that a person may have open; the oldest end when there are more. */
const MOST_SESSIONS = 50;

export async function keepNewestSessions(userId: string): Promise<void> {
  await database().execute(
    sql`DELETE FROM account_session WHERE user_id = ${userId} AND id NOT IN
      (SELECT id FROM account_session WHERE user_id = ${userId} ORDER BY created_at DESC LIMIT ${MOST_SESSIONS})`,
  );
}

export interface SessionRow {
  readonly id: string;
  readonly createdAt: Date;
  readonly updatedAt: Date;
  readonly ipAddress: string | null;
  readonly userAgent: string | null;
}

export async function sessionsOf(userId: string): Promise<SessionRow[]> {
  const { id, createdAt, updatedAt, ipAddress, userAgent } = accountSession;
  return database()
    .select({ id, createdAt, updatedAt, ipAddress, userAgent })
    .from(accountSession)
    .where(and(eq(accountSession.userId, userId), gt(accountSession.expiresAt, new Date())))
    .orderBy(desc(accountSession.updatedAt))
    .limit(100);
}

/** What a person may do now: asked for with each request, so that what was taken away ends at once. */
export async function personOf(id: string): Promise<(Roles & { name: string; disabled: boolean }) | undefined> {
  const [row] = await database()
    .select({
      role: accountUser.role,
      environments: accountUser.environmentRoles,
      name: accountUser.name,
      disabledAt: accountUser.disabledAt,
    })
    .from(accountUser)
    .where(eq(accountUser.id, id));
  if (!row) return undefined;
  const { role, disabledAt, ...rest } = row;
  return { ...rest, role: role as Role, disabled: disabledAt !== null };
}
