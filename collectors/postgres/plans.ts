import { createHash } from 'node:crypto';
import type pg from 'pg';
import { type PlanNode, parsePlan, planSteps } from '../../src/core/database/planTree.ts';
import type { Attributes } from '../../src/core/trace/span.ts';

/** Statements whose plan is looked at in a minute. */
export const PLANNED_AT_ONCE = 10;
const GENERIC_PLAN_FROM = 160_000;

/** What kinds of statements have a plan. */
const PLANNED = /^\s*(\(|SELECT|INSERT|UPDATE|DELETE|MERGE|WITH|VALUES)\b/i;

/**
 * The plan that the server would choose for a statement whatever its values, which is never executed: by EXPLAIN (GENERIC_PLAN), before version 16
 * by a prepared statement that is only explained. Undefined when the server cannot plan it, or may not.
 */
export async function genericPlan(client: pg.Client, text: string, version: number): Promise<string | undefined> {
  // One statement only, and one that has a plan: what could do something by being prepared is not tried.
  if (!PLANNED.test(text) || text.replace(/;\s*$/, '').includes(';')) return undefined;
  await client.query('BEGIN TRANSACTION READ ONLY');
  try {
    await client.query("SET LOCAL statement_timeout = '2s'; SET LOCAL lock_timeout = '200ms'");
    if (version >= GENERIC_PLAN_FROM) return planIn(await client.query(`EXPLAIN (GENERIC_PLAN, FORMAT JSON) ${text}`));
    await client.query("SET LOCAL plan_cache_mode = 'force_generic_plan'");
    await client.query(`PREPARE dusk_lantern_plan AS ${text}`);
    const count = Math.max(0, ...[...text.matchAll(/\$(\d+)/g)].map((found) => Number(found[1])));
    const values = count === 0 ? '' : `(${new Array(count).fill('NULL').join(', ')})`;
    return planIn(await client.query(`EXPLAIN (FORMAT JSON) EXECUTE dusk_lantern_plan${values}`));
  } catch {
    return undefined;
  } finally {
    await client.query('ROLLBACK');
    await client.query('DEALLOCATE ALL');
  }
}

function planIn({ rows }: pg.QueryResult): string | undefined {
  const plan: unknown = rows[0]?.['QUERY PLAN'];
  return plan === undefined ? undefined : JSON.stringify(plan);
}

/** The id of a plan's shape: kinds of steps, tables, indexes and their order; costs and numbers of rows do not count. */
export function planId(root: PlanNode): string {
  const shape = planSteps(root).map(({ type, relation, index, children }) => `${type} ${relation} ${index} ${children.length}`);
  return createHash('md5').update(shape.join('\n')).digest('hex').slice(0, 16);
}

/** Remembers the plans that were sent, so that only new ones are. */
export class PlanChanges {
  readonly #sent = new Map<string, string>();

  /** The attributes of `lantern.db.plan`; undefined when the plan is the one that was sent. */
  take(server: string, database: string, statementId: string, json: string): Attributes | undefined {
    const root = parsePlan(json);
    if (!root) return undefined;
    const id = planId(root);
    if (this.#sent.get(statementId) === id) return undefined;
    this.#sent.set(statementId, id);
    return {
      'db.system.name': 'postgresql',
      'server.address': server,
      'db.namespace': database,
      'lantern.db.statement_id': statementId,
      'lantern.db.plan_id': id,
      'lantern.db.plan': json,
      'lantern.db.total_cost': root.cost,
    };
  }
}
