import { randomBytes } from 'node:crypto';
import { and, desc, eq, sql } from 'drizzle-orm';
import type { HandOver } from '../../core/casebook/handover/handOver.ts';
import { database } from '../database/connection.ts';
import { casebookShare } from '../schema/index.ts';
import { CaseRefused } from './cases.ts';

/** Frozen views of a case, and bytes of all of them together, as they lie. */
const MOST_SHARES = 30;
const MOST_STORED = 2 ** 30;

export interface CaseShare {
  readonly token: string;
  readonly at: Date;
  readonly by: string;
}

/** Freezes a hand-over, to be read by whoever has the token. @throws CaseRefused when there are too many */
export async function keepShare(caseId: number, by: string, handOver: HandOver): Promise<string> {
  const [{ shares, all }] = await database()
    .select({
      shares: sql<number>`(count(*) FILTER (WHERE case_id = ${caseId}))::int`,
      all: sql<number>`coalesce(sum(pg_column_size(hand_over)), 0)::float8`,
    })
    .from(casebookShare);
  if (shares >= MOST_SHARES) throw new CaseRefused(`The case has ${shares} frozen views. End some first.`);
  if (all > MOST_STORED) throw new CaseRefused('Frozen views take 1 GiB, which is as much as they may. End some first.');
  const token = randomBytes(18).toString('base64url');
  await database().insert(casebookShare).values({ token, caseId, by, handOver });
  return token;
}

export async function sharesOf(caseId: number): Promise<CaseShare[]> {
  const { token, at, by } = casebookShare;
  return database().select({ token, at, by }).from(casebookShare).where(eq(casebookShare.caseId, caseId)).orderBy(desc(at));
}

/** What was frozen; undefined for a token that leads nowhere. */
export async function sharedHandOver(token: string): Promise<HandOver | undefined> {
  const [row] = await database()
    .select({ handOver: casebookShare.handOver })
    .from(casebookShare)
    .where(eq(casebookShare.token, token));
  return row?.handOver as HandOver | undefined;
}

export async function endShare(caseId: number, token: string): Promise<void> {
  await database()
    .delete(casebookShare)
    .where(and(eq(casebookShare.caseId, caseId), eq(casebookShare.token, token)));
}
