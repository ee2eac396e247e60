import type { A_Expr_Kind, Node, SelectStmt } from '@pgsql/types';

/*
 * Pieces of a syntax tree as PostgreSQL's parser makes them, so that what is built here is written out the same way as what was read.
 */

export const text = (sval: string): Node => ({ String: { sval } });

/** `alias.column`, or `column` alone. */
export function column(...names: readonly string[]): Node {
  return { ColumnRef: { fields: names.map(text) } };
}

export const number = (ival: number): Node => ({ A_Const: { ival: ival === 0 ? {} : { ival } } });

export const truth: Node = { A_Const: { boolval: { boolval: true } } };

export function operation(name: string, lexpr: Node, rexpr: Node, kind: A_Expr_Kind = 'AEXPR_OP'): Node {
  return { A_Expr: { kind, name: [text(name)], lexpr, rexpr } };
}

export const equals = (left: Node, right: Node): Node => operation('=', left, right);

/** All of some conditions; undefined for none. */
export function all(conditions: readonly Node[]): Node | undefined {
  if (conditions.length < 2) return conditions[0];
  return { BoolExpr: { boolop: 'AND_EXPR', args: [...conditions] } };
}

export function any(conditions: readonly Node[]): Node {
  return conditions.length === 1 ? conditions[0] : { BoolExpr: { boolop: 'OR_EXPR', args: [...conditions] } };
}

export const not = (condition: Node): Node => ({ BoolExpr: { boolop: 'NOT_EXPR', args: [condition] } });

export const isNull = (arg: Node): Node => ({ NullTest: { arg, nulltesttype: 'IS_NULL' } });

export const isNotNull = (arg: Node): Node => ({ NullTest: { arg, nulltesttype: 'IS_NOT_NULL' } });

export const isNotTrue = (arg: Node): Node => ({ BooleanTest: { arg, booltesttype: 'IS_NOT_TRUE' } });

export function call(name: string, ...args: readonly Node[]): Node {
  return { FuncCall: { funcname: [text(name)], args: [...args], funcformat: 'COERCE_EXPLICIT_CALL' } };
}

/** @param type as it is written in PostgreSQL's own names: "date", "interval" */
export function cast(arg: Node, type: string): Node {
  return { TypeCast: { arg, typeName: { names: [text(type)], typemod: -1 } } };
}

export const constant = (sval: string): Node => ({ A_Const: { sval: { sval } } });

export const target = (val: Node, name?: string): Node => ({ ResTarget: name === undefined ? { val } : { name, val } });

/** A SELECT with all that is not said left out. */
export function select(parts: Partial<SelectStmt>): SelectStmt {
  return { limitOption: 'LIMIT_OPTION_DEFAULT', op: 'SETOP_NONE', ...parts };
}

export const statementNode = (it: SelectStmt): Node => ({ SelectStmt: it });

export function exists(subselect: SelectStmt): Node {
  return { SubLink: { subLinkType: 'EXISTS_SUBLINK', subselect: statementNode(subselect) } };
}

export function derived(subquery: SelectStmt, aliasname: string, lateral = false): Node {
  return { RangeSubselect: { ...(lateral && { lateral }), subquery: statementNode(subquery), alias: { aliasname } } };
}

export const star: Node = { ColumnRef: { fields: [{ A_Star: {} }] } };
