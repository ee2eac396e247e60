import type { JoinType, Node, SelectStmt } from '@pgsql/types';
import { all, column } from './build.ts';
import { ownerOf, type Range } from './ranges.ts';
import { columnNames, conjuncts, mapped } from './visit.ts';

/** The same SELECT with a WHERE of these conditions. */
export function withWhere(select: SelectStmt, conditions: readonly Node[]): SelectStmt {
  const { whereClause: _, ...rest } = select;
  const where = all(conditions);
  return where ? { ...rest, whereClause: where } : rest;
}

/** The same SELECT with one more range in its FROM, joined to what is there. */
export function withJoin(select: SelectStmt, range: Node, jointype: JoinType, quals: Node): SelectStmt {
  const from = select.fromClause ?? [];
  const [last] = from.slice(-1);
  if (from.length > 1 && jointype === 'JOIN_INNER')
    return withWhere({ ...select, fromClause: [...from, range] }, [...conjuncts(select.whereClause), quals]);
  const join: Node = { JoinExpr: { jointype, larg: last, rarg: range, quals } };
  return { ...select, fromClause: [...from.slice(0, -1), join] };
}

/**
 * The same SELECT with its own columns under the names of their ranges, so that another range with columns of the same names does no harm. Names
 * that ORDER BY takes from the output stay.
 */
export function qualifyAll(select: SelectStmt, ranges: readonly Range[], outputs: readonly (string | undefined)[]): SelectStmt {
  const within = <T>(part: T, isKept: (name: string) => boolean = () => false): T =>
    mapped(part, (node) => {
      if ('SubLink' in node) return node;
      if (!('ColumnRef' in node)) return undefined;
      const names = columnNames(node);
      if (!names || (names.length === 1 && isKept(names[0]))) return node;
      const owner = ownerOf(node, ranges);
      return owner ? column(owner.range.alias, owner.column.name) : node;
    });
  const isOutput = (name: string) => outputs.includes(name);
  return {
    ...select,
    ...(select.targetList && { targetList: within(select.targetList) }),
    ...(select.fromClause && { fromClause: select.fromClause.map((it) => ('JoinExpr' in it ? within(it) : it)) }),
    ...(select.whereClause && { whereClause: within(select.whereClause) }),
    ...(select.groupClause && { groupClause: within(select.groupClause) }),
    ...(select.havingClause && { havingClause: within(select.havingClause) }),
    ...(select.sortClause && { sortClause: within(select.sortClause, isOutput) }),
  };
}
