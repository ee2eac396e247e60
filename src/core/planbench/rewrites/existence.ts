import type { Node, SelectStmt } from '@pgsql/types';
import { isUnique } from '../catalogue.ts';
import { qualifyAll, withJoin, withWhere } from '../syntax/adding.ts';
import { all, any, column, derived, equals, exists, isNotNull, isNull, not, number, target } from '../syntax/build.ts';
import { type Correlation, correlationOf } from '../syntax/correlation.ts';
import { freshName, ownerOf, qualified, type Range, rangesOf } from '../syntax/ranges.ts';
import { conjuncts, mapped, operatorOf } from '../syntax/visit.ts';
import { givesStar, hasAggregate, isPlain, outputNames, type Place, type Rewrite, type Rule, without } from './rule.ts';

/** `x IN (SELECT y …)` as a condition: its two sides. */
function membership(node: Node): { readonly test: Node; readonly within: SelectStmt } | undefined {
  if (!('SubLink' in node) || node.SubLink.subLinkType !== 'ANY_SUBLINK' || node.SubLink.operName) return undefined;
  const { testexpr, subselect } = node.SubLink;
  if (!testexpr || 'RowExpr' in testexpr || !subselect || !('SelectStmt' in subselect)) return undefined;
  return { test: testexpr, within: subselect.SelectStmt };
}

function existence(node: Node): SelectStmt | undefined {
  if (!('SubLink' in node) || node.SubLink.subLinkType !== 'EXISTS_SUBLINK') return undefined;
  const { subselect } = node.SubLink;
  return subselect && 'SelectStmt' in subselect ? subselect.SelectStmt : undefined;
}

const negated = (node: Node): Node | undefined =>
  'BoolExpr' in node && node.BoolExpr.boolop === 'NOT_EXPR' ? node.BoolExpr.args?.[0] : undefined;

/** The single thing that a query within gives. */
function given({ targetList }: SelectStmt): Node | undefined {
  const [only, ...more] = targetList ?? [];
  return more.length === 0 && only && 'ResTarget' in only ? only.ResTarget.val : undefined;
}

/** Both sides of a membership, each under names that hold inside of the query within. */
function memberPair(test: Node, within: SelectStmt, around: readonly Range[], { catalogue }: Place) {
  const ranges = rangesOf(within, catalogue);
  const value = given(within);
  if (!ranges || !value || ranges.some(({ alias }) => around.some((it) => it.alias === alias))) return undefined;
  const [inner, outer] = [qualified(value, ranges), qualified(test, around)];
  return inner && outer ? { ranges, inner, outer } : undefined;
}

/** `IN (SELECT …)` said as EXISTS. */
export const inToExists: Rule = (select, place) => {
  const around = rangesOf(select, place.catalogue);
  if (!around) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it) => {
    const found = membership(it);
    if (!found || !isPlain(found.within, place.catalogue)) return [];
    const pair = memberPair(found.test, found.within, around, place);
    if (!pair) return [];
    const { sortClause: _, ...rest } = found.within;
    const sub = withWhere({ ...rest, targetList: [target(number(1))] }, [
      ...conjuncts(found.within.whereClause),
      equals(pair.inner, pair.outer),
    ]);
    return [
      {
        words: 'IN said as EXISTS',
        why: 'The first match ends the search, and an index on both conditions can be used at once.',
        proof: 'always' as const,
        select: withWhere(
          select,
          conditions.map((other) => (other === it ? exists(sub) : other)),
        ),
      },
    ];
  });
};

/** `NOT IN (SELECT …)` said as NOT EXISTS, with what null means kept. */
export const notInToNotExists: Rule = (select, place) => {
  const around = rangesOf(select, place.catalogue);
  if (!around) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it) => {
    const inside = negated(it);
    const found = inside && membership(inside);
    if (!found || !isPlain(found.within, place.catalogue)) return [];
    const pair = memberPair(found.test, found.within, around, place);
    if (!pair) return [];
    const { sortClause: _, ...rest } = found.within;
    const own = conjuncts(found.within.whereClause);
    const sub = (...more: Node[]) => withWhere({ ...rest, targetList: [target(number(1))] }, [...own, ...more]);
    const [inner, outer] = [ownerOf(pair.inner, pair.ranges), ownerOf(pair.outer, around)];
    const innerIsNever =
      (inner?.column.notNull && !inner.range.isOptional) || own.some((one) => saysNotNull(one, pair.inner, pair.ranges));
    const outerIsNever = outer?.column.notNull && !outer.range.isOptional;
    const instead = [not(exists(sub(equals(pair.inner, pair.outer))))];
    if (!innerIsNever) instead.push(not(exists(sub(isNull(pair.inner)))));
    if (!outerIsNever) instead.push(any([isNotNull(pair.outer), not(exists(sub()))]));
    return [
      {
        words: 'NOT IN said as NOT EXISTS',
        why: 'NOT IN has to know of every null before it may join; NOT EXISTS is joined at once.',
        proof: (innerIsNever || outerIsNever ? 'schema' : 'always') as Rewrite['proof'],
        select: withWhere(
          select,
          conditions.flatMap((other) => (other === it ? instead : [other])),
        ),
      },
    ];
  });
};

function saysNotNull(condition: Node, value: Node, ranges: readonly Range[]): boolean {
  if (!('NullTest' in condition) || condition.NullTest.nulltesttype !== 'IS_NOT_NULL' || !condition.NullTest.arg) return false;
  const [a, b] = [ownerOf(condition.NullTest.arg, ranges), ownerOf(value, ranges)];
  return a !== undefined && a.range === b?.range && a.column === b.column;
}

/** `EXISTS` and `IN` said as a join: with the table itself when a key of it is compared, else with its different values. */
export const existsToJoin: Rule = (select, place) => {
  const { catalogue } = place;
  const around = rangesOf(select, catalogue);
  if (!around || select.op !== 'SETOP_NONE' || givesStar(select) || select.lockingClause) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it) => {
    const member = membership(it);
    const within = member?.within ?? existence(it);
    if (!within || !isPlain(within, catalogue)) return [];
    let correlation = correlationOf(within, around, catalogue);
    if (!correlation) return [];
    if (member) {
      const pair = memberPair(member.test, within, around, place);
      if (!pair) return [];
      correlation = { ...correlation, pairs: [...correlation.pairs, pair] };
    }
    if (correlation.pairs.length === 0) return [];
    const clear = qualifyAll(select, around, outputNames(select));
    const rest = withWhere(clear, without(conjuncts(clear.whereClause), it));
    const asTable = joinedTable(rest, within, correlation);
    return [...(asTable ? [asTable] : []), joinedValues(rest, within, correlation, place)];
  });
};

function joinedTable(rest: SelectStmt, within: SelectStmt, { ranges, pairs, own }: Correlation): Rewrite | undefined {
  const [only, ...more] = ranges;
  if (more.length > 0 || !only.table || !('RangeVar' in only.node) || within.withClause) return undefined;
  const compared = pairs.flatMap(({ inner }) => {
    const owner = ownerOf(inner, ranges);
    return owner ? [owner.column.name] : [];
  });
  if (!isUnique(only.table, compared)) return undefined;
  const quals = all([...pairs.map(({ inner, outer }) => equals(inner, outer)), ...own])!;
  return {
    words: `${only.alias} joined`,
    why: 'A key is compared, so a join gives each row once; the planner may begin with either side.',
    proof: 'schema',
    select: withJoin(rest, only.node, 'JOIN_INNER', quals),
  };
}

function joinedValues(rest: SelectStmt, within: SelectStmt, { pairs, own, ranges }: Correlation, { root }: Place): Rewrite {
  const name = freshName(root, 'wanted');
  const { sortClause: _, ...kept } = within;
  const values: SelectStmt = {
    ...withWhere(kept, own),
    distinctClause: [{}] as unknown as Node[],
    targetList: pairs.map(({ inner }, at) => target(inner, `value_${at + 1}`)),
  };
  return {
    words: `different values of ${ranges.map(({ alias }) => alias).join(', ')} joined`,
    why: 'The values are gathered once, then joined: good when they are few.',
    proof: 'always',
    select: withJoin(
      rest,
      derived(values, name),
      'JOIN_INNER',
      all(pairs.map(({ outer }, at) => equals(column(name, `value_${at + 1}`), outer)))!,
    ),
  };
}

/** What a comparison of a count with a number means: that there is one, or that there is none. */
const MEANS: Readonly<Record<string, boolean>> = {
  '> 0': true,
  '>= 1': true,
  '<> 0': true,
  '!= 0': true,
  '= 0': false,
  '< 1': false,
  '<= 0': false,
};

/** `(SELECT count(*) …) > 0` said as EXISTS. */
export const countToExists: Rule = (select, { catalogue }) => {
  let found = 0;
  const changed = mapped(select as unknown as Node, (node) => {
    const operator = operatorOf(node);
    const bound = operator && wholeNumber(operator.right);
    if (!operator || bound === undefined) return undefined;
    const isOne = MEANS[`${operator.name} ${bound}`];
    if (isOne === undefined || !('SubLink' in operator.left) || operator.left.SubLink.subLinkType !== 'EXPR_SUBLINK')
      return undefined;
    const sub = operator.left.SubLink.subselect;
    if (!sub || !('SelectStmt' in sub)) return undefined;
    const within = sub.SelectStmt;
    const counted = given(within);
    if (!counted || !('FuncCall' in counted) || !isCount(counted) || !isPlain({ ...within, targetList: [] }, catalogue))
      return undefined;
    const [argument] = counted.FuncCall.args ?? [];
    if (argument && hasAggregate(argument, catalogue)) return undefined;
    found++;
    const there = exists(
      withWhere({ ...within, targetList: [target(number(1))] }, [
        ...conjuncts(within.whereClause),
        ...(argument && !('A_Const' in argument) ? [isNotNull(argument)] : []),
      ]),
    );
    return isOne ? there : not(there);
  });
  if (found === 0) return [];
  return [
    {
      words: 'count said as EXISTS',
      why: 'Whether there is one is known at the first; a count has to look at all.',
      proof: 'always',
      select: changed as unknown as SelectStmt,
    },
  ];
};

function isCount(node: Node): boolean {
  if (!('FuncCall' in node)) return false;
  const { funcname, agg_distinct, agg_filter, over } = node.FuncCall;
  const last = funcname?.at(-1);
  return Boolean(last && 'String' in last && last.String.sval === 'count' && !agg_distinct && !agg_filter && !over);
}

function wholeNumber(node: Node): number | undefined {
  return 'A_Const' in node && node.A_Const.ival ? (node.A_Const.ival.ival ?? 0) : undefined;
}
