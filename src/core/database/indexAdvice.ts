import { type PlanNode, planSteps } from './planTree.ts';

/** A statement with the plan that is in force, and what its calls cost in a stretch of time. */
export interface PlannedStatement {
  readonly id: string;
  readonly plan: PlanNode;
  /** Average active sessions that run it. */
  readonly sessions: number;
  /** Blocks of 8 KiB that one call looks at. */
  readonly blocks: number;
}

/** What a server counts of a table: null where it does not say. */
export interface TableFacts {
  readonly rows: number | null;
  readonly changedPerMinute: number | null;
}

/** What a server counts of an index over all that is looked at. */
export interface IndexFacts {
  readonly table: string;
  readonly name: string;
  readonly bytes: number;
  readonly scans: number;
  /** Whether it keeps values unique: then it is needed, used or not. null where that is not told. */
  readonly unique: boolean | null;
  /** For how long it was counted, milliseconds. */
  readonly observedMs: number;
}

/** An index that is not there and would save reading. */
export interface MissingIndex {
  readonly table: string;
  /** In the order in which the index would hold them: those that are compared for equality first. */
  readonly columns: readonly string[];
  readonly statements: readonly {
    readonly id: string;
    readonly sessions: number;
    readonly blocks: number;
    readonly least: number;
  }[];
  /** Average active sessions that look for rows there now, and how many of them it would save at most. */
  readonly sessions: number;
  readonly saves: number;
  /** Rows of the table: null where nobody counts them. */
  readonly rows: number | null;
  /** Rows that change a minute, each of which is written into one index more. */
  readonly changedPerMinute: number | null;
}

/** An index that nothing looked into. */
export interface UnusedIndex extends IndexFacts {
  readonly changedPerMinute: number | null;
}

/** What is looked at in fewer blocks is as quick without an index. */
const FEWEST_BLOCKS = 100;
/** A scan that is less than this part of its statement's cost is not what makes it slow. */
const LEAST_PART = 0.1;
/** An index helps when it leaves at most this part of the blocks to look at. */
const MOST_LEFT = 0.5;
/** Blocks on the way down an index. */
const DESCENT = 3;
/** An index that was not used for less than a day may be for what runs once a day. */
export const LONG_ENOUGH_MS = 24 * 3_600_000;

/**
 * Indexes that plans lack: where all of a table is looked at for what a condition on its columns leaves. A call with the index looks at a block for
 * each row that the plan expects, at most; what that saves is in the sessions that run the statement. An index whose columns begin another one's
 * serves with that one.
 */
export function missingIndexes(statements: readonly PlannedStatement[], tables: ReadonlyMap<string, TableFacts>): MissingIndex[] {
  const found = new Map<string, Draft>();
  for (const { id, plan, sessions, blocks } of statements)
    for (const step of planSteps(plan)) {
      if (step.type !== 'Seq Scan' || step.relation === '' || !(plan.cost > 0)) continue;
      const columns = filterColumns(step.conditions);
      const part = step.ownCost / plan.cost;
      const own = blocks * part;
      if (!columns || part < LEAST_PART || own < FEWEST_BLOCKS) continue;
      const least = Math.min(own, step.rows + DESCENT);
      if (least > MOST_LEFT * own) continue;
      const key = `${step.relation} ${columns.join(' ')}`;
      const draft = found.get(key) ?? { table: step.relation, columns, statements: [] };
      found.set(key, draft);
      draft.statements.push({ id, sessions: sessions * part, blocks: own, least });
    }
  return withoutBeginnings([...found.values()])
    .map(({ table, columns, statements: of }): MissingIndex => {
      const facts = tables.get(table);
      return {
        table,
        columns,
        statements: [...of].sort((a, b) => b.sessions - a.sessions),
        sessions: of.reduce((sum, it) => sum + it.sessions, 0),
        saves: of.reduce((sum, it) => sum + it.sessions * (1 - it.least / it.blocks), 0),
        rows: facts?.rows ?? null,
        changedPerMinute: facts?.changedPerMinute ?? null,
      };
    })
    .sort((a, b) => b.saves - a.saves);
}

interface Draft {
  readonly table: string;
  readonly columns: readonly string[];
  readonly statements: { id: string; sessions: number; blocks: number; least: number }[];
}

/** Those that begin another one are served by it. */
function withoutBeginnings(drafts: readonly Draft[]): Draft[] {
  const kept: Draft[] = [];
  for (const it of [...drafts].sort((a, b) => b.columns.length - a.columns.length)) {
    const longer = kept.find(
      ({ table, columns }) => table === it.table && it.columns.every((column, at) => columns[at] === column),
    );
    if (longer) longer.statements.push(...it.statements);
    else kept.push({ ...it, statements: [...it.statements] });
  }
  return kept;
}

/** Indexes that nothing looked into for a day at least, the largest first; those that keep values unique are needed all the same. */
export function unusedIndexes(indexes: readonly IndexFacts[], tables: ReadonlyMap<string, TableFacts>): UnusedIndex[] {
  return indexes
    .filter(({ scans, unique, observedMs }) => scans === 0 && unique !== true && observedMs >= LONG_ENOUGH_MS)
    .map((it) => ({ ...it, changedPerMinute: tables.get(it.table)?.changedPerMinute ?? null }))
    .sort((a, b) => b.bytes - a.bytes);
}

const COMPARED = /(?:\b\w+\.)?"?([a-z_]\w*)"?\)?(?:::[a-z ]+)?\s*(<=|>=|=|<(?!>)|>|BETWEEN\b|IS NULL\b)/gi;

/**
 * The columns by which the conditions of a scan find rows, in the order of an index: compared for equality, then one by a range. undefined where an
 * index on columns cannot serve: several conditions of which one is enough, or only expressions.
 *
 * @param conditions as EXPLAIN writes them
 */
export function filterColumns(conditions: readonly string[]): string[] | undefined {
  const text = conditions.join(' AND ').replace(/'(?:[^']|'')*'/g, "''");
  if (/\bOR\b|\bSELECT\b/i.test(text)) return undefined;
  const [equal, ranged] = [new Set<string>(), new Set<string>()];
  for (const found of text.matchAll(COMPARED)) {
    const [, column, operator] = found;
    // What a function makes of a column is not the column.
    if (/\w\($/.test(text.slice(0, found.index))) continue;
    if (operator === '=' || operator.toUpperCase() === 'IS NULL') equal.add(column);
    else ranged.add(column);
  }
  const columns = [...equal, ...[...ranged].filter((it) => !equal.has(it)).slice(0, 1)];
  return columns.length === 0 ? undefined : columns;
}
