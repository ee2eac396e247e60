import { and, count, desc, eq } from 'drizzle-orm';
import type { EnvironmentRoles, Role } from '../../core/accounts/role.ts';
import { database } from '../database/connection.ts';
import { accountUser, programToken } from '../schema/index.ts';
import { NotPossible } from './notPossible.ts';
import { hashOf, isToken, newToken } from './tokenText.ts';

const MOST_OF_ONE = 50;
/** The time of the last use is kept no finer than this, so that asking is not writing. */
const USE_APART_MS = 60_000;

export interface ProgramToken {
  readonly id: number;
  readonly name: string;
  readonly prefix: string;
  readonly role: Role;
  readonly at: Date;
  readonly expiresAt: Date | null;
  readonly lastUsed: Date | null;
}

/** @throws NotPossible @returns the token, which cannot be had again */
export async function makeProgramToken(
  userId: string,
  it: Pick<ProgramToken, 'name' | 'role' | 'expiresAt'>,
): Promise<{ id: number; token: string }> {
  const [{ n }] = await database().select({ n: count() }).from(programToken).where(eq(programToken.userId, userId));
  if (n >= MOST_OF_ONE) throw new NotPossible(`You have ${n} tokens. Take back some first.`);
  const { token, tokenHash, prefix } = newToken('program');
  const [{ id }] = await database()
    .insert(programToken)
    .values({ userId, ...it, tokenHash, prefix })
    .returning({ id: programToken.id });
  return { id, token };
}

export async function programTokensOf(userId: string): Promise<ProgramToken[]> {
  const rows = await database()
    .select()
    .from(programToken)
    .where(eq(programToken.userId, userId))
    .orderBy(desc(programToken.at))
    .limit(MOST_OF_ONE);
  return rows.map((it) => ({ ...it, role: it.role as Role }));
}

/** Takes a token of a person back. @returns whether the person had it */
export async function endProgramToken(userId: string, id: number): Promise<boolean> {
  const gone = await database()
    .delete(programToken)
    .where(and(eq(programToken.userId, userId), eq(programToken.id, id)))
    .returning({ id: programToken.id });
  return gone.length > 0;
}

/** In whose name a program asks, and as what: never as more than the person is now. */
export interface ProgramUse {
  readonly userId: string;
  readonly userName: string;
  readonly name: string;
  readonly userRole: Role;
  readonly userEnvironments: EnvironmentRoles;
  readonly role: Role;
}

/** Who made a token, if it is good now. */
export async function programOf(token: string, now = new Date()): Promise<ProgramUse | undefined> {
  // What is no token of ours is not looked up.
  if (!isToken('program', token)) return undefined;
  const [row] = await database()
    .select({
      id: programToken.id,
      userId: programToken.userId,
      name: programToken.name,
      role: programToken.role,
      expiresAt: programToken.expiresAt,
      lastUsed: programToken.lastUsed,
      userName: accountUser.name,
      userRole: accountUser.role,
      userEnvironments: accountUser.environmentRoles,
      disabledAt: accountUser.disabledAt,
    })
    .from(programToken)
    .innerJoin(accountUser, eq(accountUser.id, programToken.userId))
    .where(eq(programToken.tokenHash, hashOf(token)));
  if (!row || row.disabledAt !== null || (row.expiresAt !== null && row.expiresAt <= now)) return undefined;
  if (row.lastUsed === null || now.getTime() - row.lastUsed.getTime() > USE_APART_MS)
    await database().update(programToken).set({ lastUsed: now }).where(eq(programToken.id, row.id));
  return { ...row, role: row.role as Role, userRole: row.userRole as Role };
}
