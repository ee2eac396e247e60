import type { Node, SelectStmt } from '@pgsql/types';
import type { Catalogue, Table } from '../catalogue.ts';
import { type Owned, ownerOf, type Range, rangesOf } from '../syntax/ranges.ts';
import { conjuncts, isValue, operatorOf, selectsIn, visit } from '../syntax/visit.ts';

/** What a statement does with the columns of a table, which is what an index on it could serve. */
export interface ColumnUses {
  readonly table: Table;
  /** Compared for being equal, with values or columns of other tables. */
  readonly equal: ReadonlySet<string>;
  /** Of those, the ones compared with columns of other tables. */
  readonly joined: ReadonlySet<string>;
  /** Compared by order, BETWEEN, or the beginning of a LIKE. */
  readonly ranged: ReadonlySet<string>;
  readonly sorted: readonly { readonly name: string; readonly isDescending: boolean }[];
  readonly grouped: readonly string[];
  /** Expressions of one column that are compared with values, such as `lower(handle)`. */
  readonly made: readonly Node[];
  /** Conditions with constants alone, and the column that each is on, fit for an index on a part of the rows. */
  readonly fixed: readonly FixedCondition[];
  /** All that are used anywhere: an index that holds them need not look into the table. */
  readonly all: ReadonlySet<string>;
}

export interface FixedCondition {
  readonly node: Node;
  readonly column: string;
}

interface Gathered {
  table: Table;
  equal: Set<string>;
  joined: Set<string>;
  ranged: Set<string>;
  sorted: { name: string; isDescending: boolean }[];
  grouped: string[];
  made: Node[];
  fixed: FixedCondition[];
  all: Set<string>;
}

const RANGED = new Set(['<', '>', '<=', '>=']);

/** How each table is used in a statement, whatever query of it the use stands in; one entry for each place at which it stands in a FROM. */
export function columnUses(tree: Node, catalogue: Catalogue): ColumnUses[] {
  const scopes = [...selectsIn(tree).map(({ select }) => select), ...changed(tree)].map((select) => ({
    select,
    ranges: rangesOf(select, catalogue) ?? [],
  }));
  const every = scopes.flatMap(({ ranges }) => ranges);
  const found = new Map<Range, Gathered>();
  for (const range of every)
    if (range.table && 'RangeVar' in range.node)
      found.set(range, {
        table: range.table,
        equal: new Set(),
        joined: new Set(),
        ranged: new Set(),
        sorted: [],
        grouped: [],
        made: [],
        fixed: [],
        all: new Set(),
      });
  for (const { select, ranges } of scopes) {
    // A name that is not of this query is of one around it.
    const owner = (node: Node | undefined): Owned | undefined => ownerOf(node, ranges) ?? ownerOf(node, every);
    for (const it of conditionsOf(select)) gatherCondition(it, owner, found);
    for (const it of select.sortClause ?? []) {
      if (!('SortBy' in it)) continue;
      const owned = owner(it.SortBy.node);
      if (owned)
        found.get(owned.range)?.sorted.push({ name: owned.column.name, isDescending: it.SortBy.sortby_dir === 'SORTBY_DESC' });
    }
    for (const it of [...(select.groupClause ?? []), ...(select.distinctClause ?? [])]) {
      const owned = owner(it);
      if (owned) found.get(owned.range)?.grouped.push(owned.column.name);
    }
    visit(
      {
        select: [
          select.targetList,
          select.whereClause,
          select.fromClause,
          select.groupClause,
          select.sortClause,
          select.havingClause,
        ],
      },
      (kind, value) => {
        if (kind === 'ColumnRef') {
          const owned = owner({ ColumnRef: value } as Node);
          if (owned) found.get(owned.range)?.all.add(owned.column.name);
        }
      },
    );
  }
  return [...found.values()].filter(
    (it) => it.equal.size + it.ranged.size + it.sorted.length + it.grouped.length + it.made.length > 0,
  );
}

/** An UPDATE or DELETE as the SELECT of the rows that it changes. */
function changed(tree: Node): SelectStmt[] {
  if ('UpdateStmt' in tree && tree.UpdateStmt.relation)
    return [
      {
        fromClause: [{ RangeVar: tree.UpdateStmt.relation }, ...(tree.UpdateStmt.fromClause ?? [])],
        whereClause: tree.UpdateStmt.whereClause,
      },
    ];
  if ('DeleteStmt' in tree && tree.DeleteStmt.relation)
    return [
      {
        fromClause: [{ RangeVar: tree.DeleteStmt.relation }, ...(tree.DeleteStmt.usingClause ?? [])],
        whereClause: tree.DeleteStmt.whereClause,
      },
    ];
  return [];
}

function conditionsOf(select: SelectStmt): Node[] {
  const joins = (from: readonly Node[]): Node[] =>
    from.flatMap((it) =>
      'JoinExpr' in it
        ? [...conjuncts(it.JoinExpr.quals), ...joins([it.JoinExpr.larg, it.JoinExpr.rarg].filter((one) => one !== undefined))]
        : [],
    );
  return [...conjuncts(select.whereClause), ...joins(select.fromClause ?? [])].flatMap(arms);
}

/** Of OR, each side: an index for each may be used together. */
function arms(it: Node): Node[] {
  if ('BoolExpr' in it && it.BoolExpr.boolop === 'OR_EXPR')
    return (it.BoolExpr.args ?? []).flatMap((arm) => conjuncts(arm).flatMap(arms));
  return [it];
}

function gatherCondition(it: Node, owner: (node: Node | undefined) => Owned | undefined, found: Map<Range, Gathered>): void {
  const into = ({ range }: Owned) => found.get(range);
  const fix = (owned: Owned) => into(owned)?.fixed.push({ node: it, column: owned.column.name });
  if ('NullTest' in it) {
    const owned = owner(it.NullTest.arg);
    if (owned) fix(owned);
    return;
  }
  if ('SubLink' in it) {
    const owned = owner(it.SubLink.testexpr);
    if (owned) into(owned)?.equal.add(owned.column.name);
    return;
  }
  if (!('A_Expr' in it)) {
    const bare = owner(it) ?? ('BoolExpr' in it && it.BoolExpr.boolop === 'NOT_EXPR' ? owner(it.BoolExpr.args?.[0]) : undefined);
    if (bare) fix(bare);
    return;
  }
  const { kind, lexpr, rexpr } = it.A_Expr;
  const left = owner(lexpr);
  if (kind === 'AEXPR_IN' || kind === 'AEXPR_OP_ANY') {
    if (left) into(left)?.equal.add(left.column.name);
    if (left && onlyConstants(rexpr)) fix(left);
    return;
  }
  if (kind === 'AEXPR_BETWEEN' || kind === 'AEXPR_LIKE' || kind === 'AEXPR_ILIKE') {
    if (left) into(left)?.ranged.add(left.column.name);
    return;
  }
  const operator = operatorOf(it);
  if (!operator) return;
  const right = owner(rexpr);
  for (const [own, other, otherNode] of [
    [left, right, operator.right],
    [right, left, operator.left],
  ] as const) {
    if (!own) continue;
    if (operator.name === '=') into(own)?.equal.add(own.column.name);
    if (operator.name === '=' && other && other.range !== own.range) into(own)?.joined.add(own.column.name);
    if (RANGED.has(operator.name)) into(own)?.ranged.add(own.column.name);
    if (onlyConstants(otherNode) && !(operator.name in { '<': 1, '>': 1, '<=': 1, '>=': 1 })) fix(own);
  }
  for (const [made, value] of [
    [operator.left, operator.right],
    [operator.right, operator.left],
  ]) {
    if (
      !('FuncCall' in made || 'TypeCast' in made || 'CoalesceExpr' in made || 'A_Expr' in made) ||
      !isValue(value) ||
      isValue(made)
    )
      continue;
    const owned = firstColumn(made, owner);
    if (owned) into(owned)?.made.push(made);
  }
}

function onlyConstants(node: Node | undefined): boolean {
  if (!node || !isValue(node)) {
    const items = node && 'List' in node ? (node.List.items ?? []) : undefined;
    return items?.every(onlyConstants) ?? false;
  }
  return !JSON.stringify(node).includes('"ParamRef"');
}

function firstColumn(expression: Node, owner: (node: Node) => Owned | undefined): Owned | undefined {
  let found: Owned | undefined;
  visit({ expression }, (kind, value) => {
    if (kind === 'ColumnRef') found ??= owner({ ColumnRef: value } as Node);
  });
  return found;
}
