import { desc, eq, sql } from 'drizzle-orm';
import type { CodeTrial } from '../../core/fixes/codeTrial.ts';
import { database } from '../database/connection.ts';
import { codeTrial } from '../schema/index.ts';

/** The latest are kept; one is a megabyte at most. */
const MOST = 100;

export async function saveCodeTrial(trial: CodeTrial): Promise<void> {
  const { id, subject, begun } = trial;
  // No text of PostgreSQL holds a zero.
  const whole = JSON.parse(JSON.stringify(trial).replaceAll('\\u0000', '')) as CodeTrial;
  await database()
    .insert(codeTrial)
    .values({ id, subject, begun: new Date(begun), trial: whole })
    .onConflictDoNothing();
  await database().execute(
    sql`DELETE FROM ${codeTrial} WHERE id IN (SELECT id FROM ${codeTrial} ORDER BY begun DESC OFFSET ${MOST})`,
  );
}

/** The last runs of what a finding is about. */
export async function latestCodeTrial(subject: string): Promise<CodeTrial | undefined> {
  const [row] = await database()
    .select({ trial: codeTrial.trial })
    .from(codeTrial)
    .where(eq(codeTrial.subject, subject))
    .orderBy(desc(codeTrial.begun))
    .limit(1);
  return row?.trial as CodeTrial | undefined;
}

/** The last trial of each finding that has one. */
export async function latestCodeTrials(subjects: readonly string[]): Promise<Map<string, CodeTrial>> {
  const trials = await Promise.all(subjects.map(latestCodeTrial));
  return new Map(trials.filter((it) => it !== undefined).map((it) => [it.subject, it]));
}
