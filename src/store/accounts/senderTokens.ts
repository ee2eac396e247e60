import { count, desc, eq, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { senderToken } from '../schema/index.ts';
import { NotPossible } from './notPossible.ts';
import { newToken } from './tokenText.ts';

const MOST_TOKENS = 2_000;

export interface SenderToken {
  readonly id: number;
  readonly name: string;
  readonly prefix: string;
  readonly environment: string | null;
  readonly signals: readonly string[];
  readonly bytesPerMinute: number | null;
  readonly recordsPerMinute: number | null;
  readonly namesPerMinute: number | null;
  readonly by: string;
  readonly at: Date;
  readonly expiresAt: Date | null;
  readonly lastUsed: Date | null;
  readonly refused: number;
}

export type NewSenderToken = Pick<
  SenderToken,
  'name' | 'environment' | 'signals' | 'bytesPerMinute' | 'recordsPerMinute' | 'namesPerMinute' | 'by' | 'expiresAt'
>;

/** @throws NotPossible @returns the token, which cannot be had again */
export async function makeSenderToken(it: NewSenderToken): Promise<{ id: number; token: string }> {
  const [{ n }] = await database().select({ n: count() }).from(senderToken);
  if (n >= MOST_TOKENS) throw new NotPossible(`There are ${n} tokens. Take back some that nobody uses first.`);
  const { token, tokenHash, prefix } = newToken('sender');
  const [{ id }] = await database()
    .insert(senderToken)
    .values({ ...it, signals: [...it.signals], tokenHash, prefix })
    .returning({ id: senderToken.id });
  return { id, token };
}

export async function senderTokens(): Promise<SenderToken[]> {
  return database().select().from(senderToken).orderBy(desc(senderToken.at)).limit(MOST_TOKENS);
}

/** The environment of a token; empty for none, or where there is no such token. */
export async function environmentOfToken(id: number): Promise<string> {
  const [row] = await database().select({ environment: senderToken.environment }).from(senderToken).where(eq(senderToken.id, id));
  return row?.environment ?? '';
}

/** All tokens by their hash: few, and asked for with each request that comes in. */
export async function senderTokensByHash(): Promise<Map<string, SenderToken>> {
  const rows = await database().select().from(senderToken).limit(MOST_TOKENS);
  return new Map(rows.map((it) => [it.tokenHash, it]));
}

/** Lets a token expire: at once, or after others have had time to take another. @returns whether there is one */
export async function endSenderToken(id: number, at: Date): Promise<boolean> {
  const rows = await database()
    .update(senderToken)
    .set({ expiresAt: at })
    .where(eq(senderToken.id, id))
    .returning({ id: senderToken.id });
  return rows.length > 0;
}

/** Adds to what is known of tokens: when each was used last, and how much was refused since this was last written. */
export async function noteSenderUse(uses: readonly { id: number; lastUsed: Date; refused: number }[]): Promise<void> {
  for (const { id, lastUsed, refused } of uses)
    await database()
      .update(senderToken)
      .set({ lastUsed, refused: sql`${senderToken.refused} + ${refused}` })
      .where(eq(senderToken.id, id));
}
