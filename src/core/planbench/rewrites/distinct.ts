import type { Node, SelectStmt } from '@pgsql/types';
import { isUnique } from '../catalogue.ts';
import { withWhere } from '../syntax/adding.ts';
import {
  column,
  derived,
  exists,
  isNotNull,
  isNull,
  number,
  operation,
  select as selectOf,
  statementNode,
  target,
} from '../syntax/build.ts';
import { freshName, ownerOf, rangesOf } from '../syntax/ranges.ts';
import { calledName, conjuncts, operatorOf } from '../syntax/visit.ts';
import { hasAggregate, hasWindow, isPlain, outputNames, type Rule } from './rule.ts';

const isPlainDistinct = ({ distinctClause }: SelectStmt) =>
  distinctClause?.length === 1 && Object.keys(distinctClause[0]).length === 0;

/** DISTINCT over rows that a key tells apart already; or said as GROUP BY, which has other ways to be worked out. */
export const distinctSaidOtherwise: Rule = (select, { catalogue }) => {
  const ranges = rangesOf(select, catalogue);
  const { distinctClause, ...rest } = select;
  if (
    !ranges ||
    !distinctClause ||
    !isPlainDistinct(select) ||
    !isPlain({ ...rest, limitCount: undefined, limitOffset: undefined }, catalogue)
  )
    return [];
  const given = (select.targetList ?? []).map((it) => ('ResTarget' in it ? it.ResTarget.val : undefined));
  const owned = given.flatMap((it) => ownerOf(it, ranges) ?? []);
  const [only] = ranges;
  const isTold =
    ranges.length === 1 &&
    only.table?.keys.some((key) => key.notNull && key.columns.every((name) => owned.some((it) => it.column.name === name)));
  const isStar = given.some((it) => it && 'ColumnRef' in it && it.ColumnRef.fields?.some((field) => 'A_Star' in field));
  return [
    ...(isTold
      ? [
          {
            words: 'DISTINCT left out',
            why: 'A key is among the columns: no two rows are the same.',
            proof: 'schema' as const,
            select: rest,
          },
        ]
      : []),
    ...(isStar || given.length === 0
      ? []
      : [
          {
            words: 'DISTINCT said as GROUP BY',
            why: 'It may be hashed or done by several processes, where DISTINCT would sort.',
            proof: 'always' as const,
            select: { ...rest, groupClause: given.map((_, at) => number(at + 1)) },
          },
        ]),
  ];
};

/** The different values of an indexed column one by one, each looked up beyond the last, instead of reading all rows. */
export const distinctBySteps: Rule = (select, { catalogue, root }) => {
  const ranges = rangesOf(select, catalogue);
  const isGrouped = select.groupClause?.length === 1 && !select.distinctClause;
  const { distinctClause: _, groupClause: __, sortClause: ___, limitCount: ____, limitOffset: _____, ...bare } = select;
  if (ranges?.length !== 1 || !(isPlainDistinct(select) || isGrouped) || !isPlain(bare, catalogue) || select.whereClause)
    return [];
  const [only, ...more] = select.targetList ?? [];
  const value = only && 'ResTarget' in only ? only.ResTarget.val : undefined;
  const owned = ownerOf(value, ranges);
  if (more.length > 0 || !owned?.range.table || select.havingClause || select.withClause) return [];
  const [name] = outputNames(select);
  if (
    !name ||
    (isGrouped && ownerOf(select.groupClause![0], ranges)?.column !== owned.column && !('A_Const' in select.groupClause![0]))
  )
    return [];
  const cte = freshName(root, 'steps');
  const own = column(owned.range.alias, owned.column.name);
  const next = (where: Node[]): SelectStmt =>
    selectOf({
      ...withWhere(selectOf({}), where),
      targetList: [target(own, 'value')],
      fromClause: [owned.range.node],
      sortClause: [{ SortBy: { node: own, sortby_dir: 'SORTBY_DEFAULT', sortby_nulls: 'SORTBY_NULLS_DEFAULT' } }],
      limitCount: number(1),
    });
  const sub: Node = {
    SubLink: { subLinkType: 'EXPR_SUBLINK', subselect: statementNode(next([operation('>', own, column(cte, 'value'))])) },
  };
  const steps = selectOf({
    op: 'SETOP_UNION',
    all: true,
    larg: selectOf({ targetList: [target(column('first', 'value'), 'value')], fromClause: [derived(next([]), 'first')] }),
    rarg: selectOf({
      targetList: [target(sub)],
      fromClause: [{ RangeVar: { relname: cte, inh: true, relpersistence: 'p' } }],
      whereClause: isNotNull(column(cte, 'value')),
    }),
  });
  const { sortClause, limitCount, limitOffset, limitOption } = select;
  const found: Partial<SelectStmt> = {
    targetList: [target(column(cte, 'value'), name)],
    fromClause: [{ RangeVar: { relname: cte, inh: true, relpersistence: 'p' } }],
    whereClause: isNotNull(column(cte, 'value')),
  };
  // A step goes to what is greater: rows without a value are asked for apart.
  const unknown = selectOf({
    targetList: [target({ A_Const: { isnull: true } })],
    whereClause: exists(selectOf({ targetList: [target(number(1))], fromClause: [owned.range.node], whereClause: isNull(own) })),
  });
  return [
    {
      words: `different ${owned.column.name} by steps`,
      why: 'With an index each next value is found at once; the rows between are never read.',
      proof: 'always',
      select: selectOf({
        withClause: {
          recursive: true,
          ctes: [{ CommonTableExpr: { ctename: cte, ctematerialized: 'CTEMaterializeDefault', ctequery: statementNode(steps) } }],
        },
        ...(owned.column.notNull ? found : { op: 'SETOP_UNION', all: true, larg: selectOf(found), rarg: unknown }),
        ...(sortClause && {
          sortClause: sortClause.map((it) => ('SortBy' in it ? { SortBy: { ...it.SortBy, node: number(1) } } : it)),
        }),
        ...(limitCount && { limitCount }),
        ...(limitOffset && { limitOffset }),
        limitOption,
      }),
    },
  ];
};

/** `count(DISTINCT x)` counted over the different values, which may be hashed: by itself it is always sorted. */
export const countOfDistinct: Rule = (select, { catalogue, root }) => {
  const [only, ...more] = select.targetList ?? [];
  const value = only && 'ResTarget' in only ? only.ResTarget.val : undefined;
  if (more.length > 0 || !value || !('FuncCall' in value) || select.groupClause || select.havingClause || select.sortClause)
    return [];
  const { agg_distinct, args, agg_filter, agg_order, over } = value.FuncCall;
  if (calledName(value.FuncCall) !== 'count' || !agg_distinct || args?.length !== 1 || agg_filter || agg_order || over) return [];
  if (!isPlain({ ...select, targetList: [] }, catalogue) || hasAggregate(args[0], catalogue)) return [];
  const name = freshName(root, 'different');
  const { withClause, ...rest } = select;
  const values: SelectStmt = { ...rest, distinctClause: [{}] as unknown as Node[], targetList: [target(args[0], 'value')] };
  return [
    {
      words: 'different values first, then counted',
      why: 'The values may be hashed, in several processes; count(DISTINCT) sorts all of them in one.',
      proof: 'always',
      select: selectOf({
        ...(withClause && { withClause }),
        targetList: [
          target(
            {
              FuncCall: {
                funcname: [{ String: { sval: 'count' } }],
                args: [column(name, 'value')],
                funcformat: 'COERCE_EXPLICIT_CALL',
              },
            },
            only && 'ResTarget' in only ? (only.ResTarget.name ?? 'count') : 'count',
          ),
        ],
        fromClause: [derived(values, name)],
      }),
    },
  ];
};

/** `row_number() … = 1` around a query said as DISTINCT ON: the first of each group, without numbering the others. */
export const firstOfGroup: Rule = (select, { catalogue }) => {
  const from = select.fromClause ?? [];
  const [range] = from;
  if (from.length !== 1 || !('RangeSubselect' in range) || select.op !== 'SETOP_NONE') return [];
  const { subquery, alias, lateral } = range.RangeSubselect;
  if (!subquery || !('SelectStmt' in subquery) || lateral) return [];
  const within = subquery.SelectStmt;
  const at = (within.targetList ?? []).findIndex((it) => 'ResTarget' in it && it.ResTarget.val && isRowNumber(it.ResTarget.val));
  if (at < 0 || within.sortClause) return [];
  const rest = (within.targetList ?? []).filter((_, index) => index !== at);
  if (hasWindow(rest) || !isPlain({ ...within, targetList: rest, windowClause: undefined }, catalogue) || within.windowClause)
    return [];
  const numbered = within.targetList![at];
  if (!('ResTarget' in numbered) || !numbered.ResTarget.val || !('FuncCall' in numbered.ResTarget.val)) return [];
  const { over } = numbered.ResTarget.val.FuncCall;
  const name = numbered.ResTarget.name ?? 'row_number';
  const conditions = conjuncts(select.whereClause);
  const isFirst = conditions.some((it) => {
    const operator = operatorOf(it);
    if (
      !operator ||
      !['=', '<='].includes(operator.name) ||
      !('A_Const' in operator.right) ||
      operator.right.A_Const.ival?.ival !== 1
    )
      return false;
    const fields = 'ColumnRef' in operator.left ? operator.left.ColumnRef.fields : undefined;
    const last = fields?.at(-1);
    return Boolean(last && 'String' in last && last.String.sval === name);
  });
  if (!isFirst || !over?.partitionClause?.length || over.refname || over.name) return [];
  const ranges = rangesOf(within, catalogue);
  const sortedBy = [
    ...over.partitionClause,
    ...(over.orderClause ?? []).flatMap((it) => ('SortBy' in it && it.SortBy.node ? [it.SortBy.node] : [])),
  ];
  const [own] = ranges ?? [];
  const isSettled =
    ranges?.length === 1 &&
    own.table !== undefined &&
    isUnique(
      own.table,
      sortedBy.flatMap((it) => ownerOf(it, ranges)?.column.name ?? []),
    );
  const first: SelectStmt = {
    ...within,
    distinctClause: over.partitionClause,
    targetList: within.targetList!.map((it, index) => (index === at ? target(cast8(1), name) : it)),
    sortClause: [
      ...over.partitionClause.map(
        (node): Node => ({ SortBy: { node, sortby_dir: 'SORTBY_DEFAULT', sortby_nulls: 'SORTBY_NULLS_DEFAULT' } }),
      ),
      ...(over.orderClause ?? []),
    ],
  };
  return [
    {
      words: 'first of each group by DISTINCT ON',
      why: 'With a fitting index the rows come in order; nothing is numbered.',
      // Of rows that sort alike any may be the first.
      proof: isSettled ? 'schema' : 'trial',
      select: { ...select, fromClause: [{ RangeSubselect: { subquery: statementNode(first), alias } }] },
    },
  ];
};

const cast8 = (value: number): Node => ({
  TypeCast: { arg: number(value), typeName: { names: [{ String: { sval: 'int8' } }], typemod: -1 } },
});

function isRowNumber(node: Node): boolean {
  return 'FuncCall' in node && node.FuncCall.over !== undefined && calledName(node.FuncCall) === 'row_number';
}
