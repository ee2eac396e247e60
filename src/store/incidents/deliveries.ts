import { and, asc, desc, eq, isNull, lte, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { webhookDelivery } from '../schema/index.ts';

/** So many are kept, the latest. */
const MOST_KEPT = 1_000;

export type Delivery = typeof webhookDelivery.$inferSelect;

/** Puts a call of the webhook in line: it is made until it gets through, or for as long as it is tried. */
export async function lineUp(incidentId: number, body: string): Promise<void> {
  await database().insert(webhookDelivery).values({ incidentId, body });
  await database().execute(
    sql`DELETE FROM webhook_delivery WHERE id < (SELECT id FROM webhook_delivery ORDER BY id DESC OFFSET ${MOST_KEPT} LIMIT 1)`,
  );
}

/** What is to be called by now, the oldest first. */
export async function dueDeliveries(now: Date, most: number): Promise<Delivery[]> {
  return database()
    .select()
    .from(webhookDelivery)
    .where(and(isNull(webhookDelivery.ended), lte(webhookDelivery.nextAt, now)))
    .orderBy(asc(webhookDelivery.id))
    .limit(most);
}

/** Writes down how an attempt went. @param nextAt when it is tried again; undefined when it got through, or is given up */
export async function noteAttempt(it: Delivery, outcome: string, at: Date, nextAt: Date | undefined): Promise<void> {
  await database()
    .update(webhookDelivery)
    .set({
      attempts: [...it.attempts, { at: at.toISOString(), outcome: outcome.slice(0, 300) }],
      nextAt: nextAt ?? it.nextAt,
      ended: nextAt ? null : at,
    })
    .where(eq(webhookDelivery.id, it.id));
}

/** The latest calls. */
export async function recentDeliveries(most: number): Promise<Delivery[]> {
  return database().select().from(webhookDelivery).orderBy(desc(webhookDelivery.id)).limit(most);
}
