import { eq } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { accountTwoFactor, accountUser } from '../schema/index.ts';

/** Takes the second factor of a person away, who has lost it. */
export async function removeSecondFactor(userId: string): Promise<void> {
  await database().transaction(async (within) => {
    await within.delete(accountTwoFactor).where(eq(accountTwoFactor.userId, userId));
    await within.update(accountUser).set({ twoFactorEnabled: false }).where(eq(accountUser.id, userId));
  });
}
