import type { Node, SelectStmt } from '@pgsql/types';
import { qualifyAll, withJoin, withWhere } from '../syntax/adding.ts';
import { all, column, derived, equals, number, target, truth } from '../syntax/build.ts';
import { correlationOf } from '../syntax/correlation.ts';
import { freshName, rangesOf } from '../syntax/ranges.ts';
import { calledName, isSame, mapped, visit } from '../syntax/visit.ts';
import { givesStar, hasAggregate, hasWindow, isPlain, outputNames, type Place, type Rewrite, type Rule } from './rule.ts';

/**
 * A query for one value, asked anew for each row, said as a join: with all values worked out at once, or by LATERAL. Only for a query that gives
 * exactly one row: an aggregate without groups.
 */
export const scalarToJoin: Rule = (select, place) => {
  const { catalogue, root } = place;
  const ranges = rangesOf(select, catalogue);
  if (!ranges || !isPlain({ ...select, limitCount: undefined, limitOffset: undefined }, catalogue) || givesStar(select))
    return [];
  if (hasWindow(select.targetList)) return [];
  return scalarQueries(select).flatMap((it): Rewrite[] => {
    const within = queryOf(it);
    if (!within) return [];
    const value = within.targetList?.[0];
    const given = value && 'ResTarget' in value ? value.ResTarget.val : undefined;
    if (!given || !isPlain({ ...within, targetList: [] }, catalogue) || within.sortClause) return [];
    const aggregate = singleAggregate(given, place);
    if (!aggregate) return [];
    const name = freshName(root, 'each');
    const clear = qualifyAll(select, ranges, outputNames(select));
    const put = (instead: Node) => mapped(clear, (node) => (isSame(node, it) ? instead : undefined));
    const what = calledName(aggregate.FuncCall);
    const from =
      rangesOf(within, catalogue)
        ?.map(({ alias }) => alias)
        .join(', ') ?? 'the query';
    const found: Rewrite[] = [
      {
        words: `${what} of ${from} by LATERAL`,
        why: 'The planner may order it among the joins, and keep what it found for the same values.',
        proof: 'always',
        select: withJoin(
          put(column(name, 'value')),
          derived({ ...within, targetList: [target(given, 'value')] }, name, true),
          'JOIN_LEFT',
          truth,
        ),
      },
    ];
    const correlation = correlationOf(within, ranges, catalogue);
    if (correlation && correlation.pairs.length > 0) {
      const { pairs, own } = correlation;
      const grouped: SelectStmt = {
        ...withWhere(within, own),
        targetList: [...pairs.map(({ inner }, at) => target(inner, `key_${at + 1}`)), target(aggregate, 'value')],
        groupClause: pairs.map((_, at) => number(at + 1)),
      };
      const worked: Node = column(name, 'value');
      // A group that is not there counts none.
      const known: Node = what === 'count' ? { CoalesceExpr: { args: [worked, number(0)] } } : worked;
      const instead = mapped(given, (node) => (isSame(node, aggregate) ? known : undefined));
      found.push({
        words: `${what} of ${from} worked out once`,
        why: 'All groups are worked out in one pass instead of a query for each row.',
        proof: 'always',
        select: withJoin(
          put(instead),
          derived(grouped, name),
          'JOIN_LEFT',
          all(pairs.map(({ outer }, at) => equals(column(name, `key_${at + 1}`), outer)))!,
        ),
      });
    }
    return found;
  });
};

/** The queries for one value in the list and the conditions of a SELECT, without those within others. */
function scalarQueries({ targetList, whereClause, sortClause }: SelectStmt): Node[] {
  const found: Node[] = [];
  visit([targetList, whereClause, sortClause], (kind, value) => {
    if (kind !== 'SubLink') return undefined;
    const node = { SubLink: value } as Node;
    if (value.subLinkType === 'EXPR_SUBLINK' && !found.some((it) => isSame(it, node))) found.push(node);
    return false;
  });
  return found;
}

function queryOf(node: Node): SelectStmt | undefined {
  const sub = 'SubLink' in node ? node.SubLink.subselect : undefined;
  return sub && 'SelectStmt' in sub && sub.SelectStmt.targetList?.length === 1 ? sub.SelectStmt : undefined;
}

/** The aggregate of an expression that holds exactly one, and beside it only what is the same without rows: constants and coalesce. */
function singleAggregate(expression: Node, place: Place): Extract<Node, { FuncCall: unknown }> | undefined {
  if ('FuncCall' in expression)
    return hasAggregate(expression, place.catalogue) && !hasAggregate(expression.FuncCall.args, place.catalogue)
      ? expression
      : undefined;
  if (!('CoalesceExpr' in expression)) return undefined;
  const [first, ...others] = expression.CoalesceExpr.args ?? [];
  return first && others.every((it) => 'A_Const' in it) ? singleAggregate(first, place) : undefined;
}
