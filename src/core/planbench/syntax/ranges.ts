import type { Node, SelectStmt } from '@pgsql/types';
import type { Catalogue, Column, Table } from '../catalogue.ts';
import { column } from './build.ts';
import { columnNames, mapped, visit } from './visit.ts';

/** What stands in a FROM under a name of its own. */
export interface Range {
  readonly alias: string;
  /** The table, when it is one that the catalogue knows. */
  readonly table: Table | undefined;
  /** Whether its row may be missing: it is on the side of an outer join that need not match. */
  readonly isOptional: boolean;
  readonly node: Node;
}

/** The ranges of a FROM, in the order in which they are written; undefined when it holds what is not read here. */
export function rangesOf(select: SelectStmt, catalogue: Catalogue): Range[] | undefined {
  const found: Range[] = [];
  const ctes = new Set(
    (select.withClause?.ctes ?? []).flatMap((it) => ('CommonTableExpr' in it ? [it.CommonTableExpr.ctename ?? ''] : [])),
  );
  const step = (node: Node, isOptional: boolean): boolean => {
    if ('RangeVar' in node) {
      const { relname = '', schemaname, alias } = node.RangeVar;
      const isCte = !schemaname && ctes.has(relname);
      const table = isCte ? undefined : catalogue.tables.get(schemaname ? `${schemaname}.${relname}` : relname);
      if (alias?.colnames) return false;
      found.push({ alias: alias?.aliasname ?? relname, table, isOptional, node });
      return true;
    }
    if ('JoinExpr' in node) {
      const it = node.JoinExpr;
      if (it.isNatural || it.usingClause || it.alias || !it.larg || !it.rarg) return false;
      const [left, right] = [
        it.jointype === 'JOIN_RIGHT' || it.jointype === 'JOIN_FULL',
        it.jointype === 'JOIN_LEFT' || it.jointype === 'JOIN_FULL',
      ];
      return step(it.larg, isOptional || left) && step(it.rarg, isOptional || right);
    }
    const alias =
      'RangeSubselect' in node ? node.RangeSubselect.alias : 'RangeFunction' in node ? node.RangeFunction.alias : undefined;
    if (!alias?.aliasname) return false;
    found.push({ alias: alias.aliasname, table: undefined, isOptional, node });
    return true;
  };
  const isRead = (select.fromClause ?? []).every((it) => step(it, false));
  return isRead && new Set(found.map((it) => it.alias)).size === found.length ? found : undefined;
}

/** A column of a table in a FROM. */
export interface Owned {
  readonly range: Range;
  readonly column: Column;
}

/** Whose column a reference means; undefined when that is not plain, such as a column of a subselect or of a query around. */
export function ownerOf(node: Node | undefined, ranges: readonly Range[]): Owned | undefined {
  const names = columnNames(node);
  if (!names || names.length > 2) return undefined;
  const name = names.at(-1)!;
  const fitting = names.length === 2 ? ranges.filter((it) => it.alias === names[0]) : ranges;
  // A name alone may mean what is not known here.
  if (names.length === 1 && fitting.some((it) => !it.table)) return undefined;
  const owned = fitting.flatMap((range) => {
    const found = range.table?.columns.get(name);
    return found ? [{ range, column: found }] : [];
  });
  return owned.length === 1 ? owned[0] : undefined;
}

/**
 * The same expression with every column under the name of its range, so that it means the same wherever it is put.
 * Undefined when a column is not one of these ranges, or when the expression holds a query of its own.
 */
export function qualified(expression: Node, ranges: readonly Range[]): Node | undefined {
  let isClear = true;
  const result = mapped(expression, (node) => {
    if ('SubLink' in node) {
      isClear = false;
      return node;
    }
    if (!('ColumnRef' in node)) return undefined;
    const owner = ownerOf(node, ranges);
    if (owner) return column(owner.range.alias, owner.column.name);
    const names = columnNames(node);
    // A column of a subselect is not known, but its name says whose it is.
    if (names?.length === 2 && ranges.some((it) => it.alias === names[0])) return node;
    isClear = false;
    return node;
  });
  return isClear ? result : undefined;
}

/** Names of the ranges whose columns an expression uses; undefined when that cannot be told. */
export function usedRanges(expression: unknown, ranges: readonly Range[]): Set<string> | undefined {
  const used = new Set<string>();
  let isClear = true;
  visit({ root: expression }, (kind, value) => {
    if (kind === 'SubLink' || kind === 'A_Star') isClear = false;
    if (kind !== 'ColumnRef') return;
    const node = { ColumnRef: value } as Node;
    const names = columnNames(node);
    const owner = ownerOf(node, ranges);
    if (owner) used.add(owner.range.alias);
    else if (names?.length === 2 && ranges.some((it) => it.alias === names[0])) used.add(names[0]);
    else isClear = false;
  });
  return isClear ? used : undefined;
}

/** A name for a new range that nothing in a tree is called yet. */
export function freshName(root: unknown, wanted: string): string {
  const taken = new Set<string>();
  visit({ root }, (kind, value) => {
    if (kind === 'RangeVar') taken.add(String(value.relname));
    if (kind === 'ColumnRef') for (const it of columnNames({ ColumnRef: value } as Node) ?? []) taken.add(it);
    const alias = value.alias as { aliasname?: string } | undefined;
    if (alias?.aliasname) taken.add(alias.aliasname);
    if (kind === 'CommonTableExpr') taken.add(String(value.ctename));
  });
  let name = wanted;
  for (let at = 2; taken.has(name); at++) name = `${wanted}_${at}`;
  return name;
}
