import type { A_Expr, FuncCall, Node, SelectStmt } from '@pgsql/types';

type Tree = Readonly<Record<string, unknown>>;
type Path = readonly (string | number)[];

/** Deeper than any statement that a person or program writes. */
const DEEPEST = 300;

const isTree = (it: unknown): it is Tree => typeof it === 'object' && it !== null && !Array.isArray(it);

/**
 * Goes through a tree, parents first.
 *
 * @param see is given the kind ("ColumnRef") and what it holds; false to leave out what is below it
 */
export function visit(root: unknown, see: (kind: string, value: Tree, path: Path) => unknown): void {
  const step = (node: unknown, path: Path): void => {
    if (path.length > DEEPEST) throw new Error('the statement is nested too deeply');
    if (Array.isArray(node)) {
      for (const [at, it] of node.entries()) step(it, [...path, at]);
      return;
    }
    if (!isTree(node)) return;
    for (const [key, value] of Object.entries(node)) {
      if (isTree(value) && /^[A-Z]/.test(key) && see(key, value, [...path, key]) === false) continue;
      // Both sides of a UNION hang bare, without the name of what they are.
      if (
        isTree(value) &&
        (key === 'larg' || key === 'rarg') &&
        'op' in value &&
        see('SelectStmt', value, [...path, key]) === false
      )
        continue;
      step(value, [...path, key]);
    }
  };
  step(root, []);
}

/** The same tree with something else at a place. Nothing of the former tree is changed. */
export function replaced<T>(root: T, path: Path, value: unknown): T {
  if (path.length === 0) return value as T;
  const [key, ...rest] = path;
  if (Array.isArray(root)) return root.map((it, at) => (at === key ? replaced(it, rest, value) : it)) as T;
  return { ...root, [key]: replaced((root as Record<string | number, unknown>)[key], rest, value) };
}

/** The same tree with each node of a kind as `change` gives it; undefined leaves it and goes on below it. */
export function mapped<T>(root: T, change: (node: Node) => Node | undefined): T {
  if (Array.isArray(root)) return root.map((it) => mapped(it, change)) as T;
  if (!isTree(root)) return root;
  const keys = Object.keys(root);
  if (keys.length === 1 && /^[A-Z]/.test(keys[0])) {
    const other = change(root as unknown as Node);
    if (other) return other as T;
  }
  return Object.fromEntries(Object.entries(root).map(([key, value]) => [key, mapped(value, change)])) as T;
}

/** Each SELECT of a tree with its place, the outer ones first. */
export function selectsIn(root: unknown): { readonly path: Path; readonly select: SelectStmt }[] {
  const found: { path: Path; select: SelectStmt }[] = [];
  visit(root, (kind, value, path) => {
    if (kind === 'SelectStmt') found.push({ path, select: value as SelectStmt });
  });
  return found;
}

/** What is joined by AND, taken apart. */
export function conjuncts(condition: Node | undefined): Node[] {
  if (!condition) return [];
  if ('BoolExpr' in condition && condition.BoolExpr.boolop === 'AND_EXPR')
    return (condition.BoolExpr.args ?? []).flatMap(conjuncts);
  return [condition];
}

/** The names of a column reference; undefined for anything else, and for `*`. */
export function columnNames(node: Node | undefined): string[] | undefined {
  if (!node || !('ColumnRef' in node)) return undefined;
  const names = (node.ColumnRef.fields ?? []).map((it) => ('String' in it ? it.String.sval : undefined));
  return names.every((it) => it !== undefined) ? (names as string[]) : undefined;
}

/** A plain operator with two sides: its name; undefined for anything else. */
export function operatorOf(node: Node | undefined): { name: string; left: Node; right: Node } | undefined {
  const it: A_Expr | undefined = node && 'A_Expr' in node ? node.A_Expr : undefined;
  if (it?.kind !== 'AEXPR_OP' || !it.lexpr || !it.rexpr) return undefined;
  const [name] = (it.name ?? []).slice(-1);
  return name && 'String' in name ? { name: name.String.sval ?? '', left: it.lexpr, right: it.rexpr } : undefined;
}

/** The last part of the name of a called function. */
export function calledName(it: FuncCall): string {
  const last = it.funcname?.at(-1);
  return last && 'String' in last ? (last.String.sval ?? '') : '';
}

/** Whether a tree holds a value that is the same for all rows: constants, parameters, and casts and signs of them. */
export function isValue(node: Node | undefined): boolean {
  if (!node) return false;
  if ('A_Const' in node || 'ParamRef' in node) return true;
  if ('TypeCast' in node) return isValue(node.TypeCast.arg);
  if ('A_Expr' in node && node.A_Expr.kind === 'AEXPR_OP')
    return (!node.A_Expr.lexpr || isValue(node.A_Expr.lexpr)) && isValue(node.A_Expr.rexpr);
  return false;
}

/** Whether there is a node of one of some kinds in a tree. */
export function holds(root: unknown, ...kinds: readonly string[]): boolean {
  let found = false;
  visit(root, (kind) => {
    if (kinds.includes(kind)) found = true;
    return !found;
  });
  return found;
}

/** Two trees that are written the same, wherever they stand. */
export function isSame(a: unknown, b: unknown): boolean {
  return JSON.stringify(a, withoutPlace) === JSON.stringify(b, withoutPlace);
}

export const withoutPlace = (key: string, value: unknown) =>
  key === 'location' || key === 'rexpr_list_start' || key === 'rexpr_list_end' ? undefined : value;
