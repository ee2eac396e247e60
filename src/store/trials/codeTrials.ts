import { desc, eq, sql } from 'drizzle-orm';
import type { CodeTrial } from '../../core/fixes/codeTrial.ts';
import { database } from '../database/connection.ts';
import { codeTrial } from '../schema/index.ts';

/** The latest are kept. */
const MOST = 300;

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

/** How many alternatives were tried, and what the best saves, by finding. */
export async function codeTrialsInShort(): Promise<{ subject: string; trial: CodeTrial }[]> {
  const { rows } = await database().execute(
    sql`SELECT DISTINCT ON (subject) subject, trial FROM ${codeTrial} WHERE subject <> '' ORDER BY subject, begun DESC LIMIT ${MOST}`,
  );
  return rows as unknown as { subject: string; trial: CodeTrial }[];
}
