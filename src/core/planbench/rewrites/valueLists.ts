import type { Node } from '@pgsql/types';
import { withWhere } from '../syntax/adding.ts';
import { call, select as selectOf, statementNode, target } from '../syntax/build.ts';
import { ownerOf, rangesOf } from '../syntax/ranges.ts';
import { conjuncts, isValue } from '../syntax/visit.ts';
import type { Rule } from './rule.ts';

const LONG = 8;

/** A long list of values said as rows to join with: hashed once instead of looked through for every row. */
export const listAsRows: Rule = (select, { catalogue }) => {
  const ranges = rangesOf(select, catalogue);
  if (!ranges) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it) => {
    if (!('A_Expr' in it) || !it.A_Expr.lexpr || !it.A_Expr.rexpr) return [];
    const { kind, lexpr, rexpr, name } = it.A_Expr;
    const owned = ownerOf(lexpr, ranges);
    const [operator] = name ?? [];
    if (!owned || !operator || !('String' in operator) || operator.String.sval !== '=') return [];
    const rows =
      kind === 'AEXPR_OP_ANY' && isValue(rexpr)
        ? unnested(rexpr, owned.column.type)
        : kind === 'AEXPR_IN'
          ? listed(rexpr)
          : undefined;
    if (!rows) return [];
    const member: Node = { SubLink: { subLinkType: 'ANY_SUBLINK', testexpr: lexpr, subselect: rows } };
    return [
      {
        words: `list for ${owned.column.name} joined as rows`,
        why: 'The values are hashed, or each looked up once, instead of compared with every row.',
        proof: 'always' as const,
        select: withWhere(
          select,
          conditions.map((other) => (other === it ? member : other)),
        ),
      },
    ];
  });
};

function unnested(array: Node, type: string): Node {
  const typed: Node = {
    TypeCast: {
      arg: array,
      typeName: { names: [{ String: { sval: type } }], typemod: -1, arrayBounds: [{ Integer: { ival: -1 } }] },
    },
  };
  return statementNode(selectOf({ targetList: [target(call('unnest', 'TypeCast' in array ? array : typed))] }));
}

function listed(rexpr: Node): Node | undefined {
  const items = 'List' in rexpr ? (rexpr.List.items ?? []) : [];
  if (items.length < LONG || !items.every(isValue)) return undefined;
  return statementNode(selectOf({ valuesLists: items.map((it): Node => ({ List: { items: [it] } })) }));
}
