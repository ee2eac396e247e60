import type { Node } from '@pgsql/types';
import { withWhere } from '../syntax/adding.ts';
import { all, column } from '../syntax/build.ts';
import { type Owned, ownerOf, rangesOf } from '../syntax/ranges.ts';
import { conjuncts, isSame, isValue, mapped, operatorOf } from '../syntax/visit.ts';
import type { Rule } from './rule.ts';

const CARRIED = new Set(['AEXPR_BETWEEN', 'AEXPR_IN', 'AEXPR_OP_ANY', 'AEXPR_LIKE']);
const ORDERED = new Set(['<', '>', '<=', '>=']);

/** A range or list that one of two equal columns is held to, said of the other too: the planner carries over plain equalities only. */
export const conditionCarriedOver: Rule = (select, { catalogue }) => {
  const ranges = rangesOf(select, catalogue);
  if (!ranges || ranges.length < 2) return [];
  const owner = (node: Node | undefined) => ownerOf(node, ranges);
  const conditions = conjuncts(select.whereClause);
  const narrowing = conditions.flatMap((it) => {
    const left = narrowed(it);
    const owned = owner(left);
    return owned ? [{ it, owned }] : [];
  });
  const found: { words: string; select: typeof select }[] = [];
  for (const { it, owned } of narrowing) {
    const said = (to: Owned) =>
      mapped(it, (node) => (isSame(node, narrowed(it)) ? column(to.range.alias, to.column.name) : undefined));
    /** What equals the narrowed column by some conditions, and is not narrowed by them itself. */
    const equalIn = (among: readonly Node[]) =>
      among
        .flatMap((one) => equalColumns(one, owner))
        .flatMap(([a, b]) => (isSameColumn(a, owned) ? [b] : isSameColumn(b, owned) ? [a] : []))
        // Of other rules for sorting, the same range may hold other values.
        .filter((to) => to.column.type === owned.column.type && to.column.collation === owned.column.collation)
        .filter((to) => !among.some((one) => isSame(one, said(to))));
    for (const to of equalIn(conditions))
      found.push({ words: wordsOf(to), select: withWhere(select, [...conditions, said(to)]) });
    let joined: Owned | undefined;
    const fromClause = mapped(select.fromClause, (node) => {
      if (joined || !('JoinExpr' in node) || !['JOIN_INNER', 'JOIN_LEFT'].includes(node.JoinExpr.jointype ?? ''))
        return undefined;
      const quals = conjuncts(node.JoinExpr.quals);
      [joined] = equalIn(quals);
      return joined && { JoinExpr: { ...node.JoinExpr, quals: all([...quals, said(joined)])! } };
    });
    if (joined) found.push({ words: wordsOf(joined), select: { ...select, fromClause } });
  }
  return found.map((one) => ({
    ...one,
    why: 'Rows that cannot match are left out before the join instead of in it.',
    proof: 'always' as const,
  }));
};

const isSameColumn = (a: Owned, b: Owned) => a.range === b.range && a.column === b.column;

const wordsOf = ({ range, column: it }: Owned) => `condition said of ${range.alias}.${it.name} too`;

/** What a range or list narrows: the side that is compared with values alone. */
function narrowed(it: Node): Node | undefined {
  if ('A_Expr' in it && CARRIED.has(it.A_Expr.kind ?? '')) {
    const { lexpr, rexpr } = it.A_Expr;
    const values = rexpr && 'List' in rexpr ? (rexpr.List.items ?? []) : [rexpr];
    return values.every((value) => value && (isValue(value) || 'A_ArrayExpr' in value)) ? lexpr : undefined;
  }
  const operator = operatorOf(it);
  if (!operator || !ORDERED.has(operator.name)) return undefined;
  return isValue(operator.right) ? operator.left : isValue(operator.left) ? operator.right : undefined;
}

function equalColumns(it: Node, owner: (node: Node) => Owned | undefined): (readonly [Owned, Owned])[] {
  const operator = operatorOf(it);
  if (operator?.name !== '=') return [];
  const [a, b] = [owner(operator.left), owner(operator.right)];
  return a && b && a.range !== b.range ? [[a, b]] : [];
}
