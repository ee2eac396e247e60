import type { Node, SelectStmt } from '@pgsql/types';
import { isUnique } from '../catalogue.ts';
import { withWhere } from '../syntax/adding.ts';
import { all, column, derived, equals, select as selectOf, star, target } from '../syntax/build.ts';
import { freshName, ownerOf, type Range, rangesOf, usedRanges } from '../syntax/ranges.ts';
import { conjuncts, isSame, mapped, operatorOf } from '../syntax/visit.ts';
import { givesStar, isPlain, outputNames, type Rule } from './rule.ts';

/** What is sorted by, as the columns of one range; undefined for anything else. */
function sortColumns(select: SelectStmt, ranges: readonly Range[]): { range: Range; names: string[] } | undefined {
  const owners = (select.sortClause ?? []).map((it) => {
    if (!('SortBy' in it) || it.SortBy.useOp) return undefined;
    const at = outputNames(select).findIndex((name) => isSame(it.SortBy.node, column(name ?? '')));
    const meant = at >= 0 ? select.targetList?.[at] : undefined;
    return ownerOf(meant && 'ResTarget' in meant ? meant.ResTarget.val : it.SortBy.node, ranges);
  });
  const [first] = owners;
  if (!first || owners.some((it) => it?.range !== first.range)) return undefined;
  return { range: first.range, names: owners.map((it) => it!.column.name) };
}

const isCut = (select: SelectStmt) => Boolean(select.limitCount) && select.limitOption !== 'LIMIT_OPTION_WITH_TIES';

/** The first rows found before other tables are joined to them, when each row meets at most one of those. */
export const limitBeforeJoin: Rule = (select, { catalogue }) => {
  const ranges = rangesOf(select, catalogue);
  if (
    !ranges ||
    ranges.length < 2 ||
    !isCut(select) ||
    !isPlain({ ...select, limitCount: undefined, limitOffset: undefined }, catalogue)
  )
    return [];
  const sort = sortColumns(select, ranges);
  const from = select.fromClause ?? [];
  if (!sort || sort.range.isOptional || !sort.range.table || from.length !== 1) return [];
  const conditions = conjuncts(select.whereClause);
  if (conditions.some((it) => [...(usedRanges(it, ranges) ?? ['?'])].some((name) => name !== sort.range.alias))) return [];
  if (!joinsOneEach(from[0], sort.range, ranges)) return [];
  const { alias, node, table } = sort.range;
  const first = selectOf({
    ...withWhere(selectOf({}), conditions),
    targetList: [target(star)],
    fromClause: [node],
    sortClause: sorted(select, sort.names, alias),
    limitCount: select.limitCount,
    ...(select.limitOffset && { limitOffset: select.limitOffset }),
    limitOption: select.limitOption,
  });
  const { limitCount: _, limitOffset: __, whereClause: ___, ...rest } = select;
  return [
    {
      words: `first rows of ${alias} before the joins`,
      why: 'Only the rows that are given are joined.',
      // Rows that sort alike may be cut off otherwise.
      proof: isUnique(table, sort.names) ? 'schema' : 'trial',
      select: {
        ...rest,
        limitOption: 'LIMIT_OPTION_DEFAULT',
        fromClause: mapped(from, (it) => (isSame(it, node) ? derived(first, alias) : undefined)),
      },
    },
  ];
};

function sorted(select: SelectStmt, names: readonly string[], alias: string): Node[] {
  return (select.sortClause ?? []).map((it, at) =>
    'SortBy' in it ? { SortBy: { ...it.SortBy, node: column(alias, names[at]) } } : it,
  );
}

/** Whether every other table is joined by LEFT JOIN on a key, so that each row meets at most one and none is lost. */
function joinsOneEach(from: Node, base: Range, ranges: readonly Range[]): boolean {
  if ('RangeVar' in from) return isSame(from, base.node);
  if (!('JoinExpr' in from) || !from.JoinExpr.rarg || !from.JoinExpr.larg) return false;
  const { jointype, rarg, larg, quals } = from.JoinExpr;
  const other = ranges.find((it) => isSame(it.node, rarg));
  if (!other?.table) return false;
  const compared = conjuncts(quals).flatMap((it) => {
    const operator = operatorOf(it);
    if (operator?.name !== '=') return [];
    const [a, b] = [ownerOf(operator.left, ranges), ownerOf(operator.right, ranges)];
    return a?.range === other && b && b.range !== other
      ? [{ own: a, to: b }]
      : b?.range === other && a
        ? [{ own: b, to: a }]
        : [];
  });
  const isOne = isUnique(
    other.table,
    compared.map(({ own }) => own.column.name),
  );
  const isAlways =
    jointype === 'JOIN_LEFT' ||
    (jointype === 'JOIN_INNER' &&
      conjuncts(quals).length === compared.length &&
      compared.every(({ to }) => to.column.notNull && !to.range.isOptional && to.range.alias === compared[0].to.range.alias) &&
      (compared[0]?.to.range.table?.references ?? []).some(
        (it) =>
          it.table === other.table!.name &&
          it.columns.length === compared.length &&
          it.columns.every((name, at) =>
            compared.some(({ own, to }) => to.column.name === name && own.column.name === it.tableColumns[at]),
          ),
      ));
  return isOne && isAlways && joinsOneEach(larg, base, ranges);
}

/** Pages far in: their keys found by an index alone, then only their rows read. */
export const keysOfPageFirst: Rule = (select, { catalogue, root }) => {
  const ranges = rangesOf(select, catalogue);
  if (
    ranges?.length !== 1 ||
    !isCut(select) ||
    !isPlain({ ...select, limitCount: undefined, limitOffset: undefined }, catalogue) ||
    givesStar(select)
  )
    return [];
  const [range] = ranges;
  const sort = sortColumns(select, ranges);
  const key = range.table?.keys.find((it) => it.notNull);
  if (!sort || !key || !('RangeVar' in range.node)) return [];
  // Where nothing but keys is asked for, there is nothing else that could be left unread.
  const keys = new Set([...sort.names, ...key.columns]);
  const asked = (select.targetList ?? []).map((it) => ('ResTarget' in it ? ownerOf(it.ResTarget.val, ranges) : undefined));
  if (asked.every((it) => it && keys.has(it.column.name))) return [];
  const name = freshName(root, 'page');
  const page = selectOf({
    ...withWhere(selectOf({}), conjuncts(select.whereClause)),
    targetList: key.columns.map((it) => target(column(range.alias, it), it)),
    fromClause: [range.node],
    sortClause: sorted(select, sort.names, range.alias),
    limitCount: select.limitCount,
    ...(select.limitOffset && { limitOffset: select.limitOffset }),
  });
  const { limitCount: _, limitOffset: __, whereClause: ___, ...rest } = select;
  const quals = all(key.columns.map((it) => equals(column(name, it), column(range.alias, it))))!;
  const clear = <T>(part: T): T =>
    mapped(part, (node) => {
      const owner = 'ColumnRef' in node ? ownerOf(node, ranges) : undefined;
      return owner && column(range.alias, owner.column.name);
    });
  return [
    {
      words: 'keys of the page first',
      why: 'Rows that are passed over are counted by the index alone and never read.',
      proof: isUnique(range.table!, sort.names) ? 'schema' : 'trial',
      select: {
        ...rest,
        limitOption: 'LIMIT_OPTION_DEFAULT',
        targetList: clear(select.targetList),
        sortClause: sorted(select, sort.names, range.alias),
        fromClause: [{ JoinExpr: { jointype: 'JOIN_INNER', larg: derived(page, name), rarg: range.node, quals } }],
      },
    },
  ];
};
