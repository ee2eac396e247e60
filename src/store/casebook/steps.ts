import { asc, desc, eq, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { casebookStep } from '../schema/index.ts';

/** Steps that are kept of a case, the last ones. */
const MOST_STEPS = 1_000;

export interface CaseStep {
  readonly at: number;
  readonly by: string;
  readonly path: string;
  readonly title: string;
}

/** Notes that a page was looked at. The same page again, by the same person, is no step. */
export async function addStep(caseId: number, step: CaseStep): Promise<void> {
  const [last] = await database()
    .select({ path: casebookStep.path, by: casebookStep.by })
    .from(casebookStep)
    .where(eq(casebookStep.caseId, caseId))
    .orderBy(desc(casebookStep.id))
    .limit(1);
  if (last?.path === step.path && last.by === step.by) return;
  await database()
    .insert(casebookStep)
    .values({ caseId, ...step });
  await database().execute(
    sql`DELETE FROM ${casebookStep} WHERE case_id = ${caseId} AND id IN (
      SELECT id FROM ${casebookStep} WHERE case_id = ${caseId} ORDER BY id DESC OFFSET ${MOST_STEPS})`,
  );
}

/** The steps of a case, in order. */
export async function stepsOf(caseId: number): Promise<CaseStep[]> {
  const { at, by, path, title } = casebookStep;
  return database()
    .select({ at, by, path, title })
    .from(casebookStep)
    .where(eq(casebookStep.caseId, caseId))
    .orderBy(asc(casebookStep.id));
}
