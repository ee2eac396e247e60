import { parsePlan } from '../core/database/planTree.ts';
import type { Proof } from '../core/planbench/rewrites/rule.ts';
import { quoted } from '../core/planbench/syntax/names.ts';
import type { TrialKind } from '../core/planbench/trial.ts';
import type { TrialSession } from './session.ts';

/** One way to run the statement. */
export interface Attempt {
  readonly kinds: readonly TrialKind[];
  readonly words: string;
  readonly why: readonly string[];
  readonly proof: Proof;
  readonly text: string;
  readonly settings: Readonly<Record<string, string>>;
  /** Definitions of indexes without a name, such as CREATE INDEX ON sailing (route). */
  readonly indexes: readonly string[];
  readonly statistics: readonly string[];
  /** In the server's units, with the first set of values. */
  readonly cost: number;
  readonly plan: string;
  readonly shape: string;
}

const literal = (text: string) => `'${text.replaceAll("'", "''")}'`;

/** Sets what an attempt sets, until the transaction or its part is rolled back. */
export async function applySettings(session: TrialSession, settings: Readonly<Record<string, string>>): Promise<void> {
  for (const [name, value] of Object.entries(settings)) await session.do(`SET LOCAL ${quoted(name)} = ${literal(value)}`);
}

/** What EXPLAIN told. */
export interface Explained {
  readonly plan: string;
  readonly cost: number;
  readonly executionMs: number | null;
  readonly planningMs: number | null;
  readonly blocks: { readonly hit: number; readonly read: number; readonly temporary: number } | null;
  readonly readMs: number | null;
}

/** @param how "" to plan only; else what follows EXPLAIN to run it, such as "ANALYZE, BUFFERS, TIMING OFF" */
export async function explain(session: TrialSession, text: string, values: readonly string[], how = ''): Promise<Explained> {
  const [row] = await session.rows(`EXPLAIN (${how ? `${how}, ` : ''}FORMAT JSON) ${text}`, values);
  const found = row['QUERY PLAN'] as unknown;
  const [whole] = (typeof found === 'string' ? JSON.parse(found) : found) as Record<string, unknown>[];
  const root = whole.Plan as Record<string, unknown>;
  const plan = JSON.stringify([{ Plan: root }]);
  const number = (of: Record<string, unknown>, name: string) => (typeof of[name] === 'number' ? (of[name] as number) : null);
  const read = number(root, 'I/O Read Time');
  return {
    plan,
    cost: number(root, 'Total Cost') ?? 0,
    executionMs: number(whole, 'Execution Time'),
    planningMs: number(whole, 'Planning Time'),
    blocks: parsePlan(plan)?.blocks ?? null,
    readMs: read === null ? null : read + (number(root, 'I/O Write Time') ?? 0),
  };
}
