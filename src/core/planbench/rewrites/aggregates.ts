import type { Node, SelectStmt } from '@pgsql/types';
import { isUnique } from '../catalogue.ts';
import { qualifyAll, withWhere } from '../syntax/adding.ts';
import { all, column, derived, equals, number, operation, select as selectOf, target, truth } from '../syntax/build.ts';
import { ownExpression } from '../syntax/correlation.ts';
import { freshName, ownerOf, type Range, rangesOf, usedRanges } from '../syntax/ranges.ts';
import { conjuncts, isSame, isValue, mapped, operatorOf, visit } from '../syntax/visit.ts';
import { givesStar, hasAggregate, hasWindow, outputNames, type Place, type Rewrite, type Rule } from './rule.ts';

/**
 * Rows joined and then grouped, where each group is one row of the other tables: the aggregates are worked out for each such row instead, by
 * LATERAL, or for all of them before the join.
 */
export const aggregateBeforeJoin: Rule = (select, place) => {
  const { catalogue } = place;
  const ranges = rangesOf(select, catalogue);
  if (!ranges || ranges.length < 2 || select.op !== 'SETOP_NONE' || !select.groupClause || select.groupDistinct) return [];
  if (select.distinctClause || select.lockingClause || givesStar(select) || hasWindow(select.targetList)) return [];
  const outputs = outputNames(select);
  const clear = groupedByExpressions(qualifyAll(select, ranges, outputs));
  const counted = ranges.filter((it) => it.table);
  return counted.flatMap((it) => rewritesOf(clear, it, ranges, place));
};

function rewritesOf(select: SelectStmt, many: Range, ranges: readonly Range[], place: Place): Rewrite[] {
  const { catalogue, root } = place;
  const others = ranges.filter((it) => it !== many);
  const spot = joinOf(select.fromClause ?? [], many);
  if (!spot) return [];
  const { jointype, quals } = spot;
  const isLeft = jointype === 'JOIN_LEFT';
  const conditions = conjuncts(select.whereClause);
  const [own, rest]: [Node[], Node[]] = [[], []];
  for (const it of conditions) {
    const used = usedRanges(it, ranges);
    if (!used) {
      // A query within: what it uses is not known.
      if (mentions(it, many)) return [];
      rest.push(it);
    } else if (used.has(many.alias)) {
      if (isLeft || used.size > 1) return [];
      own.push(it);
    } else rest.push(it);
  }
  const aggregates = aggregatesOf([select.targetList, select.havingClause, select.sortClause], place);
  if (aggregates.length === 0 || aggregates.some((it) => !isOf(it, many, ranges, isLeft))) return [];
  // Beside the aggregates nothing may need a row of the table that is taken out.
  const bare = mapped([select.targetList, select.havingClause, select.sortClause, select.groupClause], (node) =>
    aggregates.some((it) => isSame(it, node)) ? number(1) : undefined,
  );
  if (mentions(bare, many) || hasAggregate(bare, catalogue)) return [];
  const equalities = [...rest.map((it) => ({ it, isOuter: false })), ...joinQuals(select.fromClause ?? [], many)];
  if (!isOneRowAGroup(select, equalities, others, ranges)) return [];

  const name = freshName(root, many.alias === 'each' ? 'sums' : 'each');
  const inner = [...conjuncts(quals), ...own];
  const give = [...aggregates.map((it, at) => target(it, `value_${at + 1}`)), ...(isLeft ? [] : [target(COUNT, 'rows_found')])];
  const instead = (from: SelectStmt, more: readonly Node[]): SelectStmt => {
    const swap = <T>(part: T): T =>
      mapped(part, (node) => {
        const at = aggregates.findIndex((it) => isSame(it, node));
        return at < 0 ? undefined : column(name, `value_${at + 1}`);
      });
    const { groupClause: _, havingClause, ...kept } = from;
    return withWhere(
      {
        ...kept,
        targetList: named(swap(kept.targetList ?? []), outputNames(select)),
        ...(kept.sortClause && { sortClause: swap(kept.sortClause) }),
      },
      [...rest, ...more, ...(havingClause ? [swap(havingClause)] : [])],
    );
  };
  const what = `${[...new Set(aggregates.map((it) => ('FuncCall' in it ? nameOf(it) : '')))].join(', ')} of ${many.alias}`;
  const found: Rewrite[] = [
    {
      words: `${what} per row`,
      why: 'The rows are found first and few; their sums are then looked up one by one instead of joined and grouped.',
      proof: 'schema',
      select: instead(
        {
          ...select,
          fromClause: swapRange(
            select.fromClause!,
            many,
            derived(selectOf({ targetList: give, fromClause: [many.node], whereClause: all(inner) }), name, true),
            jointype,
            truth,
          ),
        },
        isLeft ? [] : [operation('>', column(name, 'rows_found'), number(0))],
      ),
    },
  ];
  const pairs = pairsOf(inner, many, ranges);
  if (pairs && pairs.pairs.length > 0) {
    const grouped = selectOf({
      targetList: [...pairs.pairs.map(({ inner: key }, at) => target(key, `key_${at + 1}`)), ...give],
      fromClause: [many.node],
      whereClause: all(pairs.own),
      groupClause: pairs.pairs.map((_, at) => number(at + 1)),
    });
    const on = all(pairs.pairs.map(({ outer }, at) => equals(column(name, `key_${at + 1}`), outer)))!;
    const isCount = (it: Node) => 'FuncCall' in it && nameOf(it) === 'count';
    // Without a match there is no group, and a count of none is 0, not null.
    if (!(isLeft && aggregates.some(isCount)))
      found.push({
        words: `${what} before the join`,
        why: 'The table is grouped in one pass, and the join meets few rows.',
        proof: 'schema',
        select: instead({ ...select, fromClause: swapRange(select.fromClause!, many, derived(grouped, name), jointype, on) }, []),
      });
  }
  return found;
}

const COUNT: Node = {
  FuncCall: { funcname: [{ String: { sval: 'count' } }], agg_star: true, funcformat: 'COERCE_EXPLICIT_CALL' },
};

function nameOf(node: Node): string {
  const last = 'FuncCall' in node ? node.FuncCall.funcname?.at(-1) : undefined;
  return last && 'String' in last ? (last.String.sval ?? '') : '';
}

/** GROUP BY 1 said by what the first column is. */
function groupedByExpressions(select: SelectStmt): SelectStmt {
  return {
    ...select,
    groupClause: select.groupClause?.map((it) => {
      const at = 'A_Const' in it && it.A_Const.ival ? (it.A_Const.ival.ival ?? 0) : 0;
      const meant = at > 0 ? select.targetList?.[at - 1] : undefined;
      return meant && 'ResTarget' in meant && meant.ResTarget.val ? meant.ResTarget.val : it;
    }),
  };
}

/** Columns keep the names under which they were given. */
function named(targets: readonly Node[], names: readonly (string | undefined)[]): Node[] {
  return targets.map((it, at) => ('ResTarget' in it && names[at] ? { ResTarget: { ...it.ResTarget, name: names[at] } } : it));
}

/** The join by which a range stands in a FROM, when it is its right side. */
function joinOf(
  from: readonly Node[],
  { node }: Range,
): { jointype: 'JOIN_INNER' | 'JOIN_LEFT'; quals: Node | undefined } | undefined {
  for (const it of from) {
    if ('JoinExpr' in it) {
      const { rarg, larg, quals, jointype } = it.JoinExpr;
      if (rarg === node || isSame(rarg, node))
        return jointype === 'JOIN_INNER' || jointype === 'JOIN_LEFT' ? { jointype, quals } : undefined;
      const within = larg && joinOf([larg], { node } as Range);
      if (within) return within;
    }
  }
  return undefined;
}

/** A condition; one of an outer join says nothing of the rows that need not match. */
interface Held {
  readonly it: Node;
  readonly isOuter: boolean;
}

/** The conditions of all joins but the one of a range. */
function joinQuals(from: readonly Node[], many: Range): Held[] {
  return from.flatMap((join) => {
    if (!('JoinExpr' in join)) return [];
    const { larg, rarg, quals, jointype } = join.JoinExpr;
    const own = isSame(rarg, many.node) ? [] : conjuncts(quals).map((it) => ({ it, isOuter: jointype !== 'JOIN_INNER' }));
    return [
      ...own,
      ...joinQuals(
        [larg, rarg].filter((one) => one !== undefined),
        many,
      ),
    ];
  });
}

function swapRange(from: readonly Node[], many: Range, range: Node, jointype: 'JOIN_INNER' | 'JOIN_LEFT', quals: Node): Node[] {
  return from.map((it) => {
    if (!('JoinExpr' in it)) return it;
    if (isSame(it.JoinExpr.rarg, many.node)) return { JoinExpr: { ...it.JoinExpr, rarg: range, jointype, quals } };
    const { larg } = it.JoinExpr;
    return larg ? { JoinExpr: { ...it.JoinExpr, larg: swapRange([larg], many, range, jointype, quals)[0] } } : it;
  });
}

function aggregatesOf(parts: unknown, { catalogue }: Place): Node[] {
  const found: Node[] = [];
  visit({ parts }, (kind, value) => {
    if (kind === 'SubLink') return false;
    if (kind !== 'FuncCall') return undefined;
    const node = { FuncCall: value } as Node;
    if (!hasAggregate(node, catalogue)) return undefined;
    if (!found.some((it) => isSame(it, node))) found.push(node);
    return false;
  });
  return found;
}

/** Whether an aggregate sees rows of one range alone, and gives the same for no row as for a row of nulls. */
function isOf(aggregate: Node, many: Range, ranges: readonly Range[], isLeft: boolean): boolean {
  if (!('FuncCall' in aggregate)) return false;
  const { args, agg_star, agg_filter } = aggregate.FuncCall;
  if (agg_star) return !isLeft && !agg_filter;
  const used = usedRanges([args, aggregate.FuncCall.agg_filter, aggregate.FuncCall.agg_order], ranges);
  if (used?.size !== 1 || !used.has(many.alias)) return false;
  // What is made of nulls may be no null: only plain columns are left out by every aggregate of numbers.
  return (
    !isLeft ||
    ((args ?? []).every((it) => ownerOf(it, ranges) !== undefined) && !agg_filter && LEAVES_OUT_NULLS.has(nameOf(aggregate)))
  );
}

const LEAVES_OUT_NULLS = new Set(['sum', 'min', 'max', 'avg', 'count', 'bool_and', 'bool_or', 'stddev', 'variance']);

function mentions(part: unknown, { alias, table }: Range): boolean {
  let found = false;
  visit({ part }, (kind, value) => {
    if (kind !== 'ColumnRef') return;
    const names = ((value.fields as Node[]) ?? []).map((it) => ('String' in it ? it.String.sval : '*'));
    if (names.length > 1 ? names[0] === alias : names[0] === '*' || table?.columns.has(names[0] ?? '')) found = true;
  });
  return found;
}

/** Whether the other ranges together have at most one row a group: their keys are grouped by, or follow from those that are. */
function isOneRowAGroup(
  select: SelectStmt,
  conditions: readonly Held[],
  others: readonly Range[],
  ranges: readonly Range[],
): boolean {
  const known = new Map<string, Set<string>>(others.map(({ alias }) => [alias, new Set()]));
  for (const it of select.groupClause ?? []) {
    const owner = ownerOf(it, ranges);
    // Nulls are grouped together, though a key does not tell them apart.
    if (owner?.column.notNull && !owner.range.isOptional) known.get(owner.range.alias)?.add(owner.column.name);
  }
  const whole = new Set<string>();
  for (let changed = true; changed; ) {
    changed = false;
    for (const it of others)
      if (!whole.has(it.alias) && it.table && isUnique(it.table, [...known.get(it.alias)!])) {
        whole.add(it.alias);
        for (const { name } of it.table.columns.values()) known.get(it.alias)!.add(name);
        changed = true;
      }
    for (const { it, isOuter } of conditions) {
      const operator = operatorOf(it);
      if (operator?.name !== '=') continue;
      for (const [a, b] of [
        [operator.left, operator.right],
        [operator.right, operator.left],
      ]) {
        const [to, from] = [ownerOf(a, ranges), ownerOf(b, ranges)];
        const follows = isValue(b) || (from && known.get(from.range.alias)?.has(from.column.name));
        if (to && isOuter && !to.range.isOptional) continue;
        if (to && follows && known.has(to.range.alias) && !known.get(to.range.alias)!.has(to.column.name)) {
          known.get(to.range.alias)!.add(to.column.name);
          changed = true;
        }
      }
    }
  }
  return others.every(({ alias }) => whole.has(alias));
}

/** How the conditions of a join pair the range with the others; undefined when they do so by more than equalities. */
function pairsOf(conditions: readonly Node[], many: Range, ranges: readonly Range[]) {
  const pairs: { inner: Node; outer: Node }[] = [];
  const own: Node[] = [];
  for (const it of conditions) {
    const alone = ownExpression(it, [many]);
    if (alone) {
      own.push(alone);
      continue;
    }
    const operator = operatorOf(it);
    if (operator?.name !== '=') return undefined;
    const [left, right] = [usedRanges(operator.left, ranges), usedRanges(operator.right, ranges)];
    if (!left || !right) return undefined;
    if (left.size === 1 && left.has(many.alias) && !right.has(many.alias))
      pairs.push({ inner: operator.left, outer: operator.right });
    else if (right.size === 1 && right.has(many.alias) && !left.has(many.alias))
      pairs.push({ inner: operator.right, outer: operator.left });
    else return undefined;
  }
  return { pairs, own };
}
