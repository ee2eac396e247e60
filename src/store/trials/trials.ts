import { desc, eq, sql } from 'drizzle-orm';
import type { Trial } from '../../core/planbench/trial.ts';
import { database } from '../database/connection.ts';
import { planTrial } from '../schema/index.ts';

/** The latest are kept. */
const MOST = 300;

/** Keeps a trial, in place of what was kept of it. */
export async function saveTrial(trial: Trial): Promise<void> {
  const { id, server, statementId, begun } = trial;
  // No text of PostgreSQL holds a zero.
  const whole = JSON.parse(JSON.stringify(trial).replaceAll('\\u0000', '')) as Trial;
  await database()
    .insert(planTrial)
    .values({ id, server, statementId, begun: new Date(begun), trial: whole })
    .onConflictDoUpdate({ target: planTrial.id, set: { trial: whole } });
  await database().execute(
    sql`DELETE FROM ${planTrial} WHERE id IN (SELECT id FROM ${planTrial} ORDER BY begun DESC OFFSET ${MOST})`,
  );
}

export async function readTrial(id: string): Promise<Trial | undefined> {
  const [row] = await database().select({ trial: planTrial.trial }).from(planTrial).where(eq(planTrial.id, id));
  return row?.trial as Trial | undefined;
}

/** The latest trials, in short. */
export async function latestTrials(most: number): Promise<Trial[]> {
  const rows = await database().select({ trial: planTrial.trial }).from(planTrial).orderBy(desc(planTrial.begun)).limit(most);
  return rows.map((it) => it.trial as Trial);
}
