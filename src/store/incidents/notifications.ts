import { desc } from 'drizzle-orm';
import { z } from 'zod';
import { database } from '../database/connection.ts';
import { notification } from '../schema/index.ts';
import { readSetting, writeSetting } from '../settings/settings.ts';

export const recipientsSchema = z.object({
  /** An address that gets each notification as JSON; empty for none beyond the inbox. */
  webhook: z.union([
    z.literal(''),
    z
      .url({ protocol: /^https?$/ })
      .max(2_000)
      .refine(
        // It is asked of what is no address, too.
        (it) => !URL.canParse(it) || (new URL(it).username === '' && new URL(it).password === ''),
        'name and password do not stand in the address',
      ),
  ]),
  /** What calls are signed with; empty for none. */
  webhookSecret: z.string().max(500).default(''),
  mail: z.union([z.literal(''), z.email()]),
});
export type Recipients = z.output<typeof recipientsSchema>;

const USUAL: Recipients = { webhook: '', webhookSecret: '', mail: 'on-call@osier-reach.example' };

export async function readRecipients(): Promise<Recipients> {
  const parsed = recipientsSchema.safeParse(await readSetting('recipients'));
  return parsed.success ? parsed.data : USUAL;
}

export async function writeRecipients(it: Recipients): Promise<void> {
  await writeSetting('recipients', it);
}

export type Notification = typeof notification.$inferSelect;

export async function noteSent(it: Omit<typeof notification.$inferInsert, 'at'>): Promise<void> {
  await database().insert(notification).values(it);
}

/** What was sent, the latest first. */
export async function sentNotifications(most: number): Promise<Notification[]> {
  return database().select().from(notification).orderBy(desc(notification.id)).limit(most);
}
