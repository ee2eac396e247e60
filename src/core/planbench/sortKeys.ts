import type { Node } from '@pgsql/types';
import { outputNames } from './rewrites/rule.ts';
import { target } from './syntax/build.ts';
import { columnNames, isSame } from './syntax/visit.ts';

/**
 * The statement with what it sorts by among its columns, so that the order of two runs can be compared where it counts and only there: rows that
 * sort alike may come in any order.
 *
 * @returns keys: the places of the sorted columns, none when it does not sort; added: how many columns stand at the end that it does not give
 */
export function withSortKeys(tree: Node): { readonly tree: Node; readonly keys: readonly number[]; readonly added: number } {
  if (!('SelectStmt' in tree) || !tree.SelectStmt.sortClause) return { tree, keys: [], added: 0 };
  const select = tree.SelectStmt;
  // A UNION gives its columns under the names of its first SELECT.
  let first = select;
  while (first.larg) first = first.larg;
  const given = first.targetList ?? [];
  const names = outputNames(first);
  const mayAdd = select.op === 'SETOP_NONE' && !select.distinctClause;
  const more: Node[] = [];
  const keys: number[] = [];
  const hasStar = JSON.stringify(given).includes('"A_Star"');
  for (const it of select.sortClause ?? []) {
    if (!('SortBy' in it) || !it.SortBy.node) continue;
    const { node } = it.SortBy;
    const own = columnNames(node);
    let at = 'A_Const' in node && node.A_Const.ival ? (node.A_Const.ival.ival ?? 0) - 1 : -1;
    if (at < 0 && own?.length === 1) at = names.indexOf(own[0]);
    if (at < 0) at = given.findIndex((one) => 'ResTarget' in one && isSame(one.ResTarget.val, node));
    if (at >= 0 && !hasStar) keys.push(at);
    else if (mayAdd) {
      // Counted from the end, since * may give any number of columns.
      more.push(target(node, `sort_key_${more.length + 1}`));
      keys.push(-more.length);
    }
  }
  const added = more.length;
  return {
    tree: added === 0 ? tree : { SelectStmt: { ...select, targetList: [...given, ...more] } },
    keys: keys.map((at) => (at < 0 ? -(added + 1 + at) : at)),
    added,
  };
}

/** A change that gives the rows as it leaves them, so that they can be compared. */
export function withReturning(tree: Node): Node {
  const returningList: Node[] = [target({ ColumnRef: { fields: [{ A_Star: {} }] } })];
  if ('UpdateStmt' in tree) return { UpdateStmt: { ...tree.UpdateStmt, returningList } };
  if ('DeleteStmt' in tree) return { DeleteStmt: { ...tree.DeleteStmt, returningList } };
  if ('InsertStmt' in tree) return { InsertStmt: { ...tree.InsertStmt, returningList } };
  return tree;
}
