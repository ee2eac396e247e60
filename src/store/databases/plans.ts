import { and, asc, desc, eq, lt } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { dbPlan } from '../schema/index.ts';

/** A plan that a server chose for a statement, and since when. */
export interface StoredPlan {
  readonly planId: string;
  /** Epoch milliseconds. */
  readonly at: number;
  readonly plan: string;
  readonly totalCost: number;
}

const MOST = 200;
const MOST_STATEMENTS = 2_000;

/** The plans of a statement up to a moment (epoch nanoseconds), in order; one that was reported again unchanged is not there twice. */
export async function plansOf(server: string, statementId: string, before: bigint): Promise<StoredPlan[]> {
  const rows = await database()
    .select({ planId: dbPlan.planId, timeNs: dbPlan.timeNs, plan: dbPlan.plan, totalCost: dbPlan.totalCost })
    .from(dbPlan)
    .where(and(eq(dbPlan.server, server), eq(dbPlan.statementId, statementId), lt(dbPlan.timeNs, before)))
    .orderBy(asc(dbPlan.timeNs))
    .limit(MOST);
  return rows
    .filter(({ planId }, at) => planId !== rows[at - 1]?.planId)
    .map(({ timeNs, ...it }) => ({ ...it, at: Number(timeNs / 1_000_000n) }));
}

/** The plan of each statement of a server that was in force at a moment (epoch nanoseconds), by statement. */
export async function plansInForce(server: string, before: bigint): Promise<Map<string, string>> {
  const rows = await database()
    .selectDistinctOn([dbPlan.statementId], { statementId: dbPlan.statementId, plan: dbPlan.plan })
    .from(dbPlan)
    .where(and(eq(dbPlan.server, server), lt(dbPlan.timeNs, before)))
    .orderBy(dbPlan.statementId, desc(dbPlan.timeNs))
    .limit(MOST_STATEMENTS);
  return new Map(rows.map(({ statementId, plan }) => [statementId, plan]));
}
