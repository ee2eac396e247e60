import type { Node } from '@pgsql/types';
import type { Catalogue } from '../core/planbench/catalogue.ts';
import { ownerOf, rangesOf } from '../core/planbench/syntax/ranges.ts';
import { operatorOf, selectsIn, visit } from '../core/planbench/syntax/visit.ts';
import type { TrialSession } from './session.ts';

/** A value that a statement leaves open. */
export interface OpenValue {
  /** From 1. */
  readonly number: number;
  readonly type: string;
  /** The column that it is compared with; empty when it is none. */
  readonly column: string;
  /** One for each set of values, from what the server's statistics hold; empty when they say nothing. */
  readonly proposed: readonly string[];
}

const SETS = 3;

/** The values that a statement leaves open, with proposals: frequent ones, one from the middle, and one that is rare. */
export async function openValues(session: TrialSession, text: string, tree: Node, catalogue: Catalogue): Promise<OpenValue[]> {
  const numbers = new Set<number>();
  visit({ tree }, (kind, value) => {
    if (kind === 'ParamRef') numbers.add(Number(value.number));
  });
  if (numbers.size === 0) return [];
  const most = Math.max(...numbers);
  await session.do('DEALLOCATE ALL');
  await session.do(`PREPARE trial_values AS ${text}`);
  const [{ types }] = await session.rows<{ types: string[] }>(
    "SELECT parameter_types::text[] AS types FROM pg_prepared_statements WHERE name = 'trial_values'",
  );
  await session.do('DEALLOCATE trial_values');
  const compared = comparedColumns(tree, catalogue);
  const units = namedUnits(tree);
  const found: OpenValue[] = [];
  for (let number = 1; number <= most; number++) {
    const column = compared.get(number);
    const type = types[number - 1] ?? 'text';
    found.push({
      number,
      type,
      column: column ? `${column.table}.${column.column}` : '',
      proposed: column ? await proposals(session, column, type) : units.has(number) ? UNITS : fallback(type),
    });
  }
  return found;
}

/** Units of time that are asked for most, the likeliest first. */
const UNITS = ['day', 'hour', 'month'];
const OF_A_UNIT = new Set(['date_trunc', 'date_part', 'extract']);

/** The open values that name a unit of time: the first of what date_trunc and the like are given. Nothing else is understood there. */
function namedUnits(tree: Node): Set<number> {
  const found = new Set<number>();
  visit({ tree: [tree] }, (kind, value) => {
    if (kind !== 'FuncCall') return;
    const { funcname, args } = value as { funcname?: Node[]; args?: Node[] };
    const name = funcname?.at(-1);
    const unit = args?.[0] && paramOf(args[0]);
    if (unit !== undefined && name && 'String' in name && OF_A_UNIT.has(name.String.sval ?? '')) found.add(unit);
  });
  return found;
}

interface Compared {
  readonly schema: string;
  readonly table: string;
  readonly column: string;
  /** Of a BETWEEN or a comparison by order: the lower end, the upper end. */
  readonly end: 'low' | 'high' | 'any';
}

/** The column that each open value is compared with. */
function comparedColumns(tree: Node, catalogue: Catalogue): Map<number, Compared> {
  const found = new Map<number, Compared>();
  const scopes = selectsIn(tree).flatMap(({ select }) => rangesOf(select, catalogue) ?? []);
  const changed =
    'UpdateStmt' in tree
      ? tree.UpdateStmt.relation
      : 'DeleteStmt' in tree
        ? tree.DeleteStmt.relation
        : 'InsertStmt' in tree
          ? tree.InsertStmt.relation
          : undefined;
  if (changed) scopes.push(...(rangesOf({ fromClause: [{ RangeVar: changed }] }, catalogue) ?? []));
  const note = (node: Node | undefined, value: Node | undefined, end: Compared['end']) => {
    const owned = ownerOf(node, scopes);
    const param = value && paramOf(value);
    if (!owned?.range.table || param === undefined || found.has(param)) return;
    found.set(param, { schema: owned.range.table.schema, table: owned.range.table.name, column: owned.column.name, end });
  };
  visit({ tree: [tree] }, (kind, value) => {
    if (kind === 'A_Expr') {
      const node = { A_Expr: value } as Node;
      const { lexpr, rexpr, kind: form } = value as { lexpr?: Node; rexpr?: Node; kind?: string };
      if (form === 'AEXPR_BETWEEN' && rexpr && 'List' in rexpr) {
        note(lexpr, rexpr.List.items?.[0], 'low');
        note(lexpr, rexpr.List.items?.[1], 'high');
      } else if (form === 'AEXPR_IN' && rexpr && 'List' in rexpr) for (const it of rexpr.List.items ?? []) note(lexpr, it, 'any');
      else {
        const operator = operatorOf(node);
        const end =
          operator && ['>', '>='].includes(operator.name)
            ? 'low'
            : operator && ['<', '<='].includes(operator.name)
              ? 'high'
              : 'any';
        note(lexpr, rexpr, end);
        note(rexpr, lexpr, end === 'low' ? 'high' : end === 'high' ? 'low' : 'any');
      }
    }
    // SET column = $1 and INSERT (column) VALUES ($1).
    if (kind === 'UpdateStmt')
      for (const it of (value.targetList as Node[]) ?? [])
        if ('ResTarget' in it)
          note({ ColumnRef: { fields: [{ String: { sval: it.ResTarget.name } }] } }, it.ResTarget.val, 'any');
  });
  if ('InsertStmt' in tree) {
    const source = tree.InsertStmt.selectStmt;
    const lists = source && 'SelectStmt' in source ? (source.SelectStmt.valuesLists ?? []) : [];
    const names = (tree.InsertStmt.cols ?? []).map((it) => ('ResTarget' in it ? it.ResTarget.name : undefined));
    for (const list of lists)
      if ('List' in list)
        for (const [at, it] of (list.List.items ?? []).entries())
          note({ ColumnRef: { fields: [{ String: { sval: names[at] } }] } }, it, 'any');
  }
  return found;
}

function paramOf(node: Node): number | undefined {
  if ('ParamRef' in node) return node.ParamRef.number;
  if ('TypeCast' in node && node.TypeCast.arg) return paramOf(node.TypeCast.arg);
  return undefined;
}

/** Values of a column: frequent, from the middle, rare. */
async function proposals(session: TrialSession, { schema, table, column, end }: Compared, type: string): Promise<string[]> {
  const [stats] = await session.rows<{ common: string[] | null; bounds: string[] | null }>(
    `SELECT most_common_vals::text::text[] AS common, histogram_bounds::text::text[] AS bounds
     FROM pg_stats WHERE schemaname = $1 AND tablename = $2 AND attname = $3 ORDER BY inherited LIMIT 1`,
    [schema, table, column],
  );
  const common = stats?.common ?? [];
  const bounds = stats?.bounds ?? [];
  const at = (share: number) => bounds[Math.min(bounds.length - 1, Math.floor(share * bounds.length))];
  let picked: (string | undefined)[];
  if (end !== 'any' && bounds.length > 4) picked = end === 'low' ? [at(0.5), at(0.2), at(0.8)] : [at(0.55), at(0.22), at(0.98)];
  else
    picked =
      common.length >= SETS
        ? [common[0], common[Math.floor(common.length / 2)], common.at(-1)]
        : [common[0] ?? at(0.5), at(0.5), at(0.9)];
  const values = picked.flatMap((it) => it ?? []);
  if (values.length === 0) return fallback(type);
  return type.endsWith('[]')
    ? values.map(
        (_, set) => `{${[values[set], at(0.3), at(0.7)].flatMap((it) => (it === undefined ? [] : [quotedItem(it)])).join(',')}}`,
      )
    : values;
}

const quotedItem = (text: string) => `"${text.replaceAll(/["\\]/g, '\\$&')}"`;

/** Something of the type, where nothing is known. */
function fallback(type: string): string[] {
  if (type === 'interval') return ['30 days'];
  if (/^timestamp/.test(type)) return [new Date().toISOString()];
  if (type === 'date') return [new Date().toISOString().slice(0, 10)];
  if (/int|numeric|double|real/.test(type)) return ['1'];
  if (type === 'boolean') return ['true'];
  return [];
}
