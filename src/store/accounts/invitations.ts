import { and, desc, eq, gt, lt, sql } from 'drizzle-orm';
import type { Role } from '../../core/accounts/role.ts';
import { database, inTransaction } from '../database/connection.ts';
import { accountInvitation } from '../schema/index.ts';
import { NotPossible } from './notPossible.ts';
import { hashOf, newToken } from './tokenText.ts';

/** Links that have not been used, at a time. */
const MOST_OPEN = 500;
const GOOD_FOR_MS = 7 * 86_400_000;

export interface Invitation {
  readonly email: string;
  readonly role: Role;
  /** The person who is to set a new password; null for somebody new. */
  readonly userId: string | null;
  readonly by: string;
  readonly expiresAt: Date;
}

/**
 * Makes a link's token for somebody, in the place of an earlier one for the same address.
 *
 * @throws NotPossible
 */
export async function invite(it: Omit<Invitation, 'expiresAt'>, goodForMs = GOOD_FOR_MS): Promise<string> {
  const { token, tokenHash } = newToken('invitation');
  await inTransaction(async (client) => {
    await client.query('DELETE FROM account_invitation WHERE email = $1 OR expires_at < now()', [it.email]);
    const { rows } = await client.query<{ n: number }>('SELECT count(*)::int AS n FROM account_invitation');
    if (rows[0].n >= MOST_OPEN) throw new NotPossible(`${rows[0].n} links are open already. Take some back first.`);
    await client.query(
      'INSERT INTO account_invitation (token_hash, email, role, user_id, by, expires_at) VALUES ($1, $2, $3, $4, $5, $6)',
      [tokenHash, it.email, it.role, it.userId, it.by, new Date(Date.now() + goodForMs)],
    );
  });
  return token;
}

/** What a link is good for; undefined for one that was used, has expired, or never was. */
export async function invitationOf(token: string): Promise<Invitation | undefined> {
  const [row] = await database()
    .select()
    .from(accountInvitation)
    .where(and(eq(accountInvitation.tokenHash, hashOf(token)), gt(accountInvitation.expiresAt, new Date())));
  return row && { ...row, role: row.role as Role };
}

/** Uses a link up: of several who try at once, one has it. */
export async function takeInvitation(token: string): Promise<Invitation | undefined> {
  const [row] = await database()
    .delete(accountInvitation)
    .where(and(eq(accountInvitation.tokenHash, hashOf(token)), gt(accountInvitation.expiresAt, new Date())))
    .returning();
  return row && { ...row, role: row.role as Role };
}

export async function openInvitations(): Promise<Invitation[]> {
  const rows = await database()
    .select()
    .from(accountInvitation)
    .where(gt(accountInvitation.expiresAt, new Date()))
    .orderBy(desc(accountInvitation.at))
    .limit(MOST_OPEN);
  return rows.map((it) => ({ ...it, role: it.role as Role }));
}

/** @returns whether there was one */
export async function takeBackInvitation(email: string): Promise<boolean> {
  const gone = await database()
    .delete(accountInvitation)
    .where(eq(accountInvitation.email, email))
    .returning({ email: accountInvitation.email });
  return gone.length > 0;
}

/** Drops what has expired of all that expires. */
export async function dropExpired(): Promise<void> {
  await database().delete(accountInvitation).where(lt(accountInvitation.expiresAt, new Date()));
  await database().execute(sql`DELETE FROM account_session WHERE expires_at < now()`);
  await database().execute(sql`DELETE FROM account_verification WHERE expires_at < now()`);
}
