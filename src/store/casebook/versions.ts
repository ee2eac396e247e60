import { and, desc, eq, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import type { CaseContent } from '../../core/casebook/caseContent.ts';
import { changeWords } from '../../core/casebook/changeWords.ts';
import { database } from '../database/connection.ts';
import { casebookVersion } from '../schema/index.ts';

/** What one person writes in this time is one version. */
const TOGETHER_MS = 5 * 60_000;
/** Versions that are kept of a case, and bytes of them as they lie; the newest is kept whatever its size. */
const MOST_VERSIONS = 300;
const MOST_BYTES = 2 ** 20;

export interface CaseVersion {
  readonly sequence: number;
  readonly begun: Date;
  readonly ended: Date;
  readonly by: string;
  readonly words: string;
}

/** Notes what a case says after a change, as the newest version or as part of it. @param before what it said; undefined for a new case */
export async function noteVersion(
  on: NodePgDatabase,
  caseId: number,
  sequence: number,
  by: string,
  before: CaseContent | undefined,
  content: CaseContent,
): Promise<void> {
  const now = new Date();
  const [last, former] = await on
    .select()
    .from(casebookVersion)
    .where(eq(casebookVersion.caseId, caseId))
    .orderBy(desc(casebookVersion.sequence))
    .limit(2);
  if (last && former && last.by === by && now.getTime() - last.begun.getTime() < TOGETHER_MS) {
    const words = changeWords(former.content as CaseContent, content);
    await on
      .update(casebookVersion)
      .set({ sequence, ended: now, words: words || last.words, content })
      .where(and(eq(casebookVersion.caseId, caseId), eq(casebookVersion.sequence, last.sequence)));
    return;
  }
  const words = before ? changeWords(before, content) : 'begun';
  if (words === '') return;
  await on.insert(casebookVersion).values({ caseId, sequence, begun: now, ended: now, by, words, content });
  await on.execute(sql`DELETE FROM ${casebookVersion} WHERE case_id = ${caseId} AND sequence IN (
    SELECT sequence FROM (
      SELECT sequence, row_number() OVER (ORDER BY sequence DESC) AS place, sum(pg_column_size(content)) OVER (ORDER BY sequence DESC) AS so_far
      FROM ${casebookVersion} WHERE case_id = ${caseId}
    ) AS all_versions WHERE place > 1 AND (place > ${MOST_VERSIONS} OR so_far > ${MOST_BYTES}))`);
}

/** The versions of a case, the newest first. */
export async function caseVersions(caseId: number): Promise<CaseVersion[]> {
  const { sequence, begun, ended, by, words } = casebookVersion;
  return database()
    .select({ sequence, begun, ended, by, words })
    .from(casebookVersion)
    .where(eq(casebookVersion.caseId, caseId))
    .orderBy(desc(casebookVersion.sequence));
}

/** What a case said in a version; undefined when that is not kept. */
export async function versionContent(caseId: number, sequence: number): Promise<CaseContent | undefined> {
  const [row] = await database()
    .select({ content: casebookVersion.content })
    .from(casebookVersion)
    .where(and(eq(casebookVersion.caseId, caseId), eq(casebookVersion.sequence, sequence)));
  return row?.content as CaseContent | undefined;
}
