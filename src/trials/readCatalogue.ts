import type { Node } from '@pgsql/types';
import type { Catalogue, Column, Key, KnownFunction, KnownIndex, Reference, Table } from '../core/planbench/catalogue.ts';
import { relationPath } from '../core/planbench/syntax/names.ts';
import { calledName, visit } from '../core/planbench/syntax/visit.ts';
import type { TrialSession } from './session.ts';

/** Names of the relations in some trees, as they are written; those of a WITH are not among them. */
export function namedRelations(trees: readonly Node[]): string[] {
  const names = new Set<string>();
  const ctes = new Set<string>();
  visit({ trees }, (kind, value) => {
    if (kind === 'CommonTableExpr') ctes.add(String(value.ctename));
  });
  const add = ({ schemaname, relname }: { schemaname?: unknown; relname?: unknown }) => {
    if (typeof relname === 'string' && (schemaname || !ctes.has(relname)))
      names.add(schemaname ? `${schemaname}.${relname}` : relname);
  };
  visit({ trees }, (kind, value) => {
    if (kind === 'RangeVar') add(value);
    if (typeof value.relation === 'object' && value.relation !== null && 'relname' in value.relation) add(value.relation);
  });
  return [...names];
}

/** Last parts of the names of the functions that some trees call. */
export function calledFunctions(trees: readonly Node[]): string[] {
  const names = new Set<string>();
  visit({ trees }, (kind, value) => {
    if (kind === 'FuncCall') names.add(calledName(value));
  });
  return [...names];
}

/** What the server's catalogue says of all that some trees name. Read only. */
export async function readCatalogue(session: TrialSession, trees: readonly Node[]): Promise<Catalogue> {
  const named = await relations(session, namedRelations(trees));
  const oids = [...new Set([...named.values()].map(({ oid }) => oid))];
  const columns = await columnsOf(session, oids);
  const keys = await keysOf(session, oids);
  const references = await referencesOf(session, oids);
  const indexes = await indexesOf(session, oids);
  const of = <T extends { oid: number }>(rows: readonly T[], oid: number) => rows.filter((it) => it.oid === oid);
  const tables = new Map<string, Table>();
  for (const [name, it] of named)
    tables.set(name, {
      schema: it.schema,
      name: it.name,
      kind: it.kind,
      rows: Math.max(0, it.rows),
      bytes: Number(it.bytes),
      columns: new Map(of(columns, it.oid).map((column): [string, Column] => [column.name, column])),
      keys: of(keys, it.oid),
      references: of(references, it.oid),
      indexes: of(indexes, it.oid),
    });
  return { tables, functions: await knownFunctions(session, calledFunctions(trees)) };
}

/** What the server knows of functions, by name. */
export async function knownFunctions(session: TrialSession, names: readonly string[]): Promise<Map<string, KnownFunction>> {
  const rows = await session.rows<KnownFunction & { name: string }>(
    `SELECT proname AS name, CASE WHEN bool_or(provolatile = 'v') THEN 'v' WHEN bool_or(provolatile = 's') THEN 's' ELSE 'i' END AS volatility,
       bool_or(prokind = 'a') AS "isAggregate", bool_and(pronamespace = 'pg_catalog'::regnamespace) AS "isBuiltIn"
     FROM pg_proc WHERE proname = ANY($1) GROUP BY proname`,
    [names],
  );
  return new Map(rows.map((it) => [it.name, it]));
}

interface Relation {
  readonly oid: number;
  readonly schema: string;
  readonly name: string;
  readonly kind: string;
  readonly rows: number;
  readonly bytes: string;
}

async function relations(session: TrialSession, names: readonly string[]): Promise<Map<string, Relation>> {
  const found = new Map<string, Relation>();
  for (const name of names) {
    const [it] = await session.rows<Relation>(
      `SELECT c.oid::int AS oid, n.nspname AS schema, c.relname AS name, c.relkind AS kind, c.reltuples AS rows, pg_relation_size(c.oid) AS bytes
       FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.oid = to_regclass($1)`,
      [relationPath(name)],
    );
    if (it) found.set(name, it);
  }
  return found;
}

function columnsOf(session: TrialSession, oids: readonly number[]): Promise<(Column & { oid: number })[]> {
  return session.rows(
    `SELECT a.attrelid::int AS oid, a.attname AS name, format_type(a.atttypid, NULL) AS type, t.typcategory AS category,
       coalesce(l.collname, '') AS collation, a.attnotnull AS "notNull", coalesce(s.n_distinct, 0)::float8 AS distinct,
       coalesce(s.correlation, 0)::float8 AS correlation,
       coalesce(pg_get_expr(d.adbin, d.adrelid), CASE WHEN a.attidentity <> '' THEN 'nextval()' ELSE '' END) AS "defaultText"
     FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
     LEFT JOIN pg_collation l ON l.oid = a.attcollation
     LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
     LEFT JOIN pg_stats s ON s.schemaname = n.nspname AND s.tablename = c.relname AND s.attname = a.attname AND NOT s.inherited
     WHERE a.attrelid = ANY($1::oid[]) AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attrelid, a.attnum`,
    [oids],
  );
}

/** Unique indexes over plain columns of all rows, whose keys hold at any moment; of those that take nulls for different, so is said. */
function keysOf(session: TrialSession, oids: readonly number[]): Promise<(Key & { oid: number })[]> {
  return session.rows(
    `SELECT i.indrelid::int AS oid, array_agg(a.attname::text ORDER BY k.at) AS columns, bool_and(a.attnotnull) AS "notNull"
     FROM pg_index i CROSS JOIN unnest(i.indkey::int2[]) WITH ORDINALITY k(attnum, at) JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum
     WHERE i.indrelid = ANY($1::oid[]) AND i.indisunique AND i.indisvalid AND i.indimmediate AND i.indpred IS NULL AND i.indexprs IS NULL
       AND k.at <= i.indnkeyatts
     GROUP BY i.indrelid, i.indexrelid`,
    [oids],
  );
}

function referencesOf(session: TrialSession, oids: readonly number[]): Promise<(Reference & { oid: number })[]> {
  return session.rows(
    `SELECT c.conrelid::int AS oid, t.relname AS table,
       (SELECT array_agg(a.attname::text ORDER BY k.at) FROM unnest(c.conkey) WITH ORDINALITY k(attnum, at) JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = k.attnum) AS columns,
       (SELECT array_agg(a.attname::text ORDER BY k.at) FROM unnest(c.confkey) WITH ORDINALITY k(attnum, at) JOIN pg_attribute a ON a.attrelid = c.confrelid AND a.attnum = k.attnum) AS "tableColumns"
     FROM pg_constraint c JOIN pg_class t ON t.oid = c.confrelid
     WHERE c.contype = 'f' AND c.convalidated AND NOT c.condeferrable AND c.conrelid = ANY($1::oid[])`,
    [oids],
  );
}

function indexesOf(session: TrialSession, oids: readonly number[]): Promise<(KnownIndex & { oid: number })[]> {
  return session.rows(
    `SELECT i.indrelid::int AS oid, c.relname AS name, am.amname = 'btree' AND i.indpred IS NULL AND i.indexprs IS NULL AS "isPlain",
       coalesce((SELECT array_agg(a.attname::text || CASE WHEN (i.indoption::int2[])[k.at - 1] & 1 = 1 THEN ' DESC' ELSE '' END ORDER BY k.at)
         FROM unnest(i.indkey::int2[]) WITH ORDINALITY k(attnum, at) JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum WHERE k.at <= i.indnkeyatts), '{}') AS columns
     FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_am am ON am.oid = c.relam WHERE i.indrelid = ANY($1::oid[]) AND i.indisvalid`,
    [oids],
  );
}
