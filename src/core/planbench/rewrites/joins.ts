import type { Node, SelectStmt } from '@pgsql/types';
import { withWhere } from '../syntax/adding.ts';
import { isNotNull } from '../syntax/build.ts';
import { ownerOf, type Range, rangesOf } from '../syntax/ranges.ts';
import { conjuncts, isSame, operatorOf, visit } from '../syntax/visit.ts';
import { givesStar, type Rewrite, type Rule } from './rule.ts';

/** Leaves out a join to a table whose columns are not used, when a foreign key says that each row has exactly one match. */
export const joinLeftOut: Rule = (select, { catalogue }) => {
  const ranges = rangesOf(select, catalogue);
  if (!ranges || ranges.length < 2 || select.op !== 'SETOP_NONE' || givesStar(select) || select.lockingClause) return [];
  return ranges.flatMap((it) => withoutRange(select, it, ranges) ?? []);
};

function withoutRange(select: SelectStmt, gone: Range, ranges: readonly Range[]): Rewrite | undefined {
  if (!gone.table || gone.isOptional) return undefined;
  const conditions = conjuncts(select.whereClause);
  const joined = innerJoin(select.fromClause ?? [], gone);
  if (!joined) return undefined;
  const { fromClause, quals } = joined;
  const inWhere = conditions.filter((it) => uses(it, gone));
  const pairs = [...quals, ...inWhere].map((it) => {
    const operator = operatorOf(it);
    if (operator?.name !== '=') return undefined;
    const [a, b] = [ownerOf(operator.left, ranges), ownerOf(operator.right, ranges)];
    return a?.range === gone && b && b.range !== gone
      ? { own: a, to: b, node: operator.right }
      : b?.range === gone && a && a.range !== gone
        ? { own: b, to: a, node: operator.left }
        : undefined;
  });
  const [first] = pairs;
  if (!first?.to.range.table || pairs.some((it) => it?.to.range !== first.to.range) || first.to.range.isOptional)
    return undefined;
  const reference = first.to.range.table.references.find(
    (it) =>
      it.table === gone.table!.name &&
      it.columns.length === pairs.length &&
      it.columns.every((name, at) =>
        pairs.some((pair) => pair!.to.column.name === name && pair!.own.column.name === it.tableColumns[at]),
      ),
  );
  if (!reference) return undefined;
  const rest = conditions.filter((it) => !inWhere.includes(it));
  const remaining = withWhere({ ...select, fromClause }, rest);
  if (
    uses(
      [
        remaining.targetList,
        remaining.whereClause,
        remaining.fromClause,
        remaining.groupClause,
        remaining.havingClause,
        remaining.sortClause,
      ],
      gone,
    )
  )
    return undefined;
  // A row that refers to nothing found nothing.
  const needed = pairs.flatMap((pair) => (pair!.to.column.notNull ? [] : [isNotNull(pair!.node)]));
  return {
    words: `${gone.alias} left out`,
    why: 'A reference says that each row has exactly one there, and nothing of it is asked for.',
    proof: 'schema',
    select: withWhere(remaining, [...rest, ...needed]),
  };
}

/** A FROM without a range that is joined by an inner join or stands beside the others, with the conditions of that join. */
function innerJoin(from: readonly Node[], gone: Range): { fromClause: Node[]; quals: Node[] } | undefined {
  const bare = from.findIndex((it) => isSame(it, gone.node));
  if (bare >= 0 && from.length > 1) return { fromClause: from.filter((_, at) => at !== bare), quals: [] };
  for (const [at, it] of from.entries()) {
    if (!('JoinExpr' in it) || !it.JoinExpr.larg || !it.JoinExpr.rarg) continue;
    const { larg, rarg, quals, jointype } = it.JoinExpr;
    const swap = (instead: Node) => from.map((one, index) => (index === at ? instead : one));
    if (jointype === 'JOIN_INNER' && isSame(rarg, gone.node)) return { fromClause: swap(larg), quals: conjuncts(quals) };
    if (jointype === 'JOIN_INNER' && isSame(larg, gone.node)) return { fromClause: swap(rarg), quals: conjuncts(quals) };
    const within = innerJoin([larg], gone);
    if (within) return { fromClause: swap({ JoinExpr: { ...it.JoinExpr, larg: within.fromClause[0] } }), quals: within.quals };
  }
  return undefined;
}

/** Whether something may use a column of a range; a name without one may, when the table has such a column. */
function uses(part: unknown, { alias, table }: Range): boolean {
  let found = false;
  visit({ part }, (kind, value) => {
    if (kind !== 'ColumnRef') return;
    const names = ((value.fields as Node[]) ?? []).map((it) => ('String' in it ? (it.String.sval ?? '') : '*'));
    if (names.length > 1 ? names[0] === alias : names[0] === '*' || table?.columns.has(names[0])) found = true;
  });
  return found;
}
