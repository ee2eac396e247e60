import type { Node } from '@pgsql/types';
import type { Catalogue, KnownFunction } from '../core/planbench/catalogue.ts';
import { relationPath } from '../core/planbench/syntax/names.ts';
import { visit } from '../core/planbench/syntax/visit.ts';
import { statementTrees } from '../formats/database/statementTree.ts';
import { calledFunctions, knownFunctions, namedRelations } from './readCatalogue.ts';
import type { TrialServer } from './servers.ts';
import type { TrialSession } from './session.ts';

/** What was found out about a statement before anything of it runs. */
export interface Safety {
  /** Whether it changes or locks rows. */
  readonly writes: boolean;
  /** Whether it changes rows in a WITH, beside what it gives. */
  readonly changesBeside: boolean;
  /** Why it is not tried. Empty when it may be. */
  readonly refusals: readonly string[];
  /** What one should know. */
  readonly warnings: readonly string[];
}

/** They give something else each time and change nothing. */
const HARMLESS = new Set(['random', 'clock_timestamp', 'statement_timestamp', 'timeofday', 'gen_random_uuid', 'setseed']);
const OF_SEQUENCES = new Set(['nextval', 'setval']);

/** Reads one statement of a text. @throws Error when it is none, or several, or of a kind that is not tried */
export function singleStatement(text: string): Node {
  let trees: Node[];
  try {
    trees = statementTrees(text);
  } catch (error) {
    throw new Error(`PostgreSQL cannot read it: ${(error as Error).message}`);
  }
  if (trees.length !== 1)
    throw new Error(trees.length === 0 ? 'There is no statement in it.' : 'Only one statement at a time is tried.');
  const [kind] = Object.keys(trees[0]);
  if (!['SelectStmt', 'InsertStmt', 'UpdateStmt', 'DeleteStmt'].includes(kind))
    throw new Error('Only SELECT, INSERT, UPDATE and DELETE are tried.');
  return trees[0];
}

/** What stands in the views that a statement reads, and in the views of those. */
export async function viewTrees(session: TrialSession, tree: Node): Promise<Node[]> {
  const found: Node[] = [];
  const seen = new Set<string>();
  for (let next = namedRelations([tree]); next.length > 0 && seen.size < 200; ) {
    const fresh = next.filter((it) => !seen.has(it));
    next = [];
    for (const name of fresh) {
      seen.add(name);
      const [view] = await session.rows<{ text: string }>(
        "SELECT pg_get_viewdef(oid) AS text FROM pg_class WHERE oid = to_regclass($1) AND relkind = 'v'",
        [relationPath(name)],
      );
      if (!view) continue;
      const trees = statementTrees(view.text);
      found.push(...trees);
      next.push(...namedRelations(trees));
    }
  }
  return found;
}

/** What speaks against trying a statement on a server, and what one should know before. */
export async function checkSafety(
  session: TrialSession,
  tree: Node,
  views: readonly Node[],
  catalogue: Catalogue,
  server: TrialServer,
): Promise<Safety> {
  const refusals: string[] = [];
  const warnings: string[] = [];
  if (server.use === 'none') refusals.push(`${server.name} is marked "no trials".`);
  const changed = changedTables(tree);
  const writes = changed.length > 0 || locksRows(tree);
  visit({ tree }, (kind, value) => {
    if (kind === 'SelectStmt' && value.intoClause) refusals.push('SELECT INTO makes a table.');
  });
  const own = namedRelations([tree]);
  for (const name of new Set([...own, ...namedRelations(views)])) {
    const table = catalogue.tables.get(name);
    if (!table && own.includes(name)) refusals.push(`There is no table "${name}" on ${server.name}, or it may not be seen.`);
    else if (table?.kind === 'f') {
      if (changed.includes(name)) refusals.push(`${name} is a foreign table: what is changed there is not rolled back with it.`);
      else warnings.push(`${name} is a foreign table: another server is asked, too.`);
    }
  }
  noteFunctions(calledFunctions([tree, ...views]), catalogue.functions, refusals, warnings);
  for (const name of new Set(changed)) {
    const table = catalogue.tables.get(name);
    if (!table) continue;
    if (table.kind === 'v') refusals.push(`${name} is a view: what is changed through it is not known here.`);
    for (const it of await touchedWith(session, name)) {
      if (it.kind === 'f') refusals.push(`${it.table} is a foreign table: what is changed there is not rolled back with it.`);
      if (it.triggers.length > 0)
        refusals.push(`${it.table} has triggers (${it.triggers.join(', ')}): what they do may stay after a rollback.`);
      if (it.rules.length > 0) refusals.push(`${it.table} has rules (${it.rules.join(', ')}): they run other statements.`);
    }
    for (const { column, calls } of defaultsTaken(tree, name, catalogue)) {
      if (calls.includes('nextval'))
        refusals.push(`${column} takes its value from a sequence, which a rollback does not give back.`);
      const others = calls.filter((it) => !OF_SEQUENCES.has(it));
      noteFunctions(others, await knownFunctions(session, others), refusals, warnings);
    }
  }
  if (writes && server.use === 'live')
    refusals.push(`It locks or changes rows, and others use ${server.name}: try it on a copy.`);
  if (writes && server.use === 'copy') warnings.push('It changes or locks rows; each run is rolled back.');
  return {
    writes,
    changesBeside: 'SelectStmt' in tree && changed.length > 0,
    refusals: [...new Set(refusals)],
    warnings: [...new Set(warnings)],
  };
}

interface Touched {
  readonly table: string;
  readonly kind: string;
  readonly triggers: readonly string[];
  readonly rules: readonly string[];
}

/** A table with its parts, and those that a change of it reaches by references that are carried on. */
function touchedWith(session: TrialSession, name: string): Promise<Touched[]> {
  return session.rows<Touched>(
    `WITH RECURSIVE reached(oid) AS (
       SELECT to_regclass($1)::oid
       UNION
       SELECT next.oid FROM reached r CROSS JOIN LATERAL (
         SELECT inhrelid FROM pg_inherits WHERE inhparent = r.oid
         UNION ALL
         SELECT conrelid FROM pg_constraint WHERE contype = 'f' AND confrelid = r.oid AND (confdeltype IN ('c', 'n', 'd') OR confupdtype IN ('c', 'n', 'd'))
       ) next(oid))
     SELECT c.relname AS table, c.relkind AS kind,
       ARRAY(SELECT tgname::text FROM pg_trigger WHERE tgrelid = c.oid AND NOT tgisinternal) AS triggers,
       ARRAY(SELECT rulename::text FROM pg_rewrite WHERE ev_class = c.oid AND rulename <> '_RETURN') AS rules
     FROM reached JOIN pg_class c ON c.oid = reached.oid`,
    [relationPath(name)],
  );
}

/** What the calls of some functions mean for a trial. */
function noteFunctions(
  names: readonly string[],
  functions: ReadonlyMap<string, KnownFunction>,
  refusals: string[],
  warnings: string[],
): void {
  for (const name of names) {
    const known = functions.get(name);
    if (OF_SEQUENCES.has(name)) refusals.push(`${name} takes numbers of a sequence, which a rollback does not give back.`);
    else if (known?.volatility !== 'v') continue;
    else if (known.isBuiltIn && HARMLESS.has(name))
      warnings.push(`${name} gives something else each time, so rows cannot be proved the same.`);
    else refusals.push(`The function ${name} is volatile: what it does besides may stay after a rollback.`);
  }
}

/** The columns of a table that a statement leaves to their defaults, with the functions that those call. */
function defaultsTaken(tree: Node, name: string, catalogue: Catalogue): { column: string; calls: string[] }[] {
  const withDefault = [...(catalogue.tables.get(name)?.columns.values() ?? [])].filter((it) => it.defaultText !== '');
  const taken = new Set<string>();
  visit({ tree: [tree] }, (kind, value) => {
    // Which column a DEFAULT stands for is not worth finding out.
    if (kind === 'SetToDefault') for (const it of withDefault) taken.add(it.name);
    if (kind !== 'InsertStmt' || (value.relation as { relname?: string })?.relname !== name.split('.').at(-1)) return;
    const given = new Set(
      ((value.cols as Node[] | undefined) ?? []).flatMap((it) => ('ResTarget' in it ? [it.ResTarget.name] : [])),
    );
    for (const it of withDefault) if (!given.has(it.name)) taken.add(it.name);
  });
  return withDefault
    .filter((it) => taken.has(it.name))
    .map((it) => ({ column: it.name, calls: calledFunctions(statementTrees(`SELECT ${it.defaultText}`)) }));
}

function locksRows(tree: Node): boolean {
  let found = false;
  visit({ tree }, (kind, value) => {
    if (kind === 'SelectStmt' && value.lockingClause) found = true;
  });
  return found;
}

/** The tables that a statement changes, also by its WITH. */
function changedTables(tree: Node): string[] {
  const found: string[] = [];
  visit({ tree: [tree] }, (kind, value) => {
    if (!['InsertStmt', 'UpdateStmt', 'DeleteStmt', 'MergeStmt'].includes(kind)) return;
    const relation = value.relation as { schemaname?: string; relname?: string } | undefined;
    if (relation?.relname) found.push(relation.schemaname ? `${relation.schemaname}.${relation.relname}` : relation.relname);
  });
  return found;
}
