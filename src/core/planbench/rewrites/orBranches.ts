import type { Node, SelectStmt } from '@pgsql/types';
import { withWhere } from '../syntax/adding.ts';
import { all, isNotTrue, number, select as selectOf, star, statementNode } from '../syntax/build.ts';
import { rangesOf, usedRanges } from '../syntax/ranges.ts';
import { columnNames, conjuncts, isSame, mapped, visit } from '../syntax/visit.ts';
import { givesStar, isPlain, outputNames, type Rewrite, type Rule } from './rule.ts';

const MOST_BRANCHES = 5;
const SYSTEM_COLUMNS = new Set(['ctid', 'tableoid', 'xmin', 'xmax', 'cmin', 'cmax']);

/**
 * `a OR b` taken apart into branches of a UNION ALL, each without the rows of those before it, so that each can use an index of its own. On one
 * table the table is replaced; on several the whole SELECT is said several times.
 */
export const orToBranches: Rule = (select, { catalogue, root }) => {
  const ranges = rangesOf(select, catalogue);
  if (select.op !== 'SETOP_NONE' || select.lockingClause) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it): Rewrite[] => {
    const arms = 'BoolExpr' in it && it.BoolExpr.boolop === 'OR_EXPR' ? (it.BoolExpr.args ?? []) : [];
    if (arms.length < 2 || arms.length > MOST_BRANCHES) return [];
    const branches = arms.map((arm, at) => [arm, ...arms.slice(0, at).map(isNotTrue)]);
    const used = ranges && usedRanges(it, ranges);
    const [only] = used?.size === 1 ? ranges!.filter(({ alias }) => used.has(alias)) : [];
    const rest = conditions.filter((other) => other !== it);
    const why = 'Each branch can use an index of its own, and no row is looked for twice.';
    if (only?.table && !only.isOptional && 'RangeVar' in only.node && !namesSystemColumn(root)) {
      const union = unionAll(
        branches.map((branch) =>
          selectOf({ targetList: [{ ResTarget: { val: star } }], fromClause: [only.node], whereClause: all(branch) }),
        ),
      );
      const fromClause = mapped(select.fromClause, (node) =>
        node === only.node || isSame(node, only.node)
          ? { RangeSubselect: { subquery: statementNode(union), alias: { aliasname: only.alias } } }
          : undefined,
      );
      return [
        {
          words: `OR on ${only.alias} in ${arms.length} branches`,
          why,
          proof: 'always',
          select: withWhere({ ...select, fromClause }, rest),
        },
      ];
    }
    const sorted =
      isPlain({ ...select, limitCount: undefined, limitOffset: undefined }, catalogue) && !givesStar(select)
        ? sortByOutput(select)
        : undefined;
    if (!sorted) return [];
    const { sortClause: _, limitCount, limitOffset, limitOption, withClause, ...each } = select;
    const union = unionAll(branches.map((branch) => selectOf(withWhere(each, [...rest, ...branch]))));
    return [
      {
        words: `OR in ${arms.length} branches`,
        why,
        proof: 'always',
        select: {
          ...union,
          ...(withClause && { withClause }),
          ...(sorted.length > 0 && { sortClause: sorted }),
          ...(limitCount && { limitCount }),
          ...(limitOffset && { limitOffset }),
          limitOption,
        },
      },
    ];
  });
};

function unionAll(selects: readonly SelectStmt[]): SelectStmt {
  return selects.reduce((larg, rarg) => selectOf({ op: 'SETOP_UNION', all: true, larg, rarg }));
}

/** ORDER BY by the numbers of the columns that are given; undefined when it sorts by something else. */
function sortByOutput(select: SelectStmt): Node[] | undefined {
  const names = outputNames(select);
  const sorted: Node[] = [];
  for (const it of select.sortClause ?? []) {
    if (!('SortBy' in it) || !it.SortBy.node) return undefined;
    const { node } = it.SortBy;
    const own = columnNames(node);
    let at = own?.length === 1 ? names.indexOf(own[0]) : -1;
    if (at < 0) at = (select.targetList ?? []).findIndex((one) => 'ResTarget' in one && isSame(one.ResTarget.val, node));
    if ('A_Const' in node && node.A_Const.ival) at = (node.A_Const.ival.ival ?? 0) - 1;
    if (at < 0) return undefined;
    sorted.push({ SortBy: { ...it.SortBy, node: number(at + 1) } });
  }
  return sorted;
}

/** Rows of a branch have no place of their own on disk. */
function namesSystemColumn(root: unknown): boolean {
  let found = false;
  visit({ root }, (kind, value) => {
    if (kind === 'ColumnRef' && SYSTEM_COLUMNS.has(columnNames({ ColumnRef: value } as Node)?.at(-1) ?? '')) found = true;
  });
  return found;
}
