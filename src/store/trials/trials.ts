import { eq, sql } from 'drizzle-orm';
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

export interface TrialInShort {
  readonly id: string;
  readonly server: string;
  readonly text: string;
  readonly begun: number;
  readonly ended: number | null;
  readonly phase: string;
  /** Alternatives that are faster beyond the noise, with the same rows. */
  readonly better: number;
}

/** The latest trials, in short. */
export async function latestTrials(most: number): Promise<TrialInShort[]> {
  const { rows } = await database().execute(sql`
    SELECT id, server, left(trial->>'text', 300) AS text, (trial->>'begun')::float8 AS begun, (trial->>'ended')::float8 AS ended,
      trial->>'phase' AS phase, jsonb_array_length(jsonb_path_query_array(trial, '$.alternatives[*] ? (@.verdict.is == "better")')) AS better
    FROM ${planTrial} ORDER BY plan_trial.begun DESC LIMIT ${most}`);
  return rows as unknown as TrialInShort[];
}
