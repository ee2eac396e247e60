import type { Node } from '@pgsql/types';
import type { Column } from '../catalogue.ts';
import { withWhere } from '../syntax/adding.ts';
import { all, any, call, cast, constant, equals, isNull, number, operation } from '../syntax/build.ts';
import { type Owned, ownerOf, rangesOf } from '../syntax/ranges.ts';
import { calledName, conjuncts, holds, isValue, operatorOf } from '../syntax/visit.ts';
import type { Place, Proof, Rule } from './rule.ts';

/** A condition that an index on the bare column can answer, in place of one on something made of the column. */
interface Searchable {
  readonly words: string;
  readonly proof: Proof;
  readonly condition: Node;
}

/** Conditions on something made of a column, said of the column itself. */
export const searchableConditions: Rule = (select, place) => {
  const ranges = rangesOf(select, place.catalogue);
  if (!ranges) return [];
  const conditions = conjuncts(select.whereClause);
  return conditions.flatMap((it) => {
    const found = searchable(it, (node) => ownerOf(node, ranges), place);
    if (!found) return [];
    return [
      {
        words: found.words,
        why: 'An index on the column can find such rows; one on what is made of it is seldom there.',
        proof: found.proof,
        select: withWhere(
          select,
          conditions.map((other) => (other === it ? found.condition : other)),
        ),
      },
    ];
  });
};

type Owner = (node: Node | undefined) => Owned | undefined;

const MIRRORED: Readonly<Record<string, string>> = { '=': '=', '<': '>', '>': '<', '<=': '>=', '>=': '<=' };

function searchable(it: Node, owner: Owner, place: Place): Searchable | undefined {
  const between = betweenOf(it);
  if (between) return ofDate('BETWEEN', between.of, [between.from, between.to], owner);
  const operator = operatorOf(it);
  if (!operator || !(operator.name in MIRRORED)) return undefined;
  const isTurned = isSteady(operator.left, place) && !isSteady(operator.right, place);
  const [made, value, name] = isTurned
    ? [operator.right, operator.left, MIRRORED[operator.name]]
    : [operator.left, operator.right, operator.name];
  if (!isSteady(value, place)) return undefined;
  return (
    ofDate(name, made, [value], owner) ??
    ofTruncated(name, made, value, owner) ??
    ofYear(name, made, value, owner) ??
    ofSum(name, made, value, owner) ??
    ofCoalesce(name, made, value, owner) ??
    ofBeginning(name, made, value, owner)
  );
}

/** Whether an expression is the same for all rows of a statement. */
function isSteady(node: Node, { catalogue }: Place): boolean {
  if (isValue(node) || 'SQLValueFunction' in node) return true;
  if (holds(node, 'ColumnRef', 'SubLink')) return false;
  let steady = true;
  const check = (part: unknown): void => {
    if (typeof part !== 'object' || part === null) return;
    for (const [key, value] of Object.entries(part)) {
      if (key === 'FuncCall') {
        const known = catalogue.functions.get(calledName(value));
        if (!known || known.volatility === 'v' || known.isAggregate) steady = false;
      }
      check(value);
    }
  };
  check(node);
  return steady;
}

function betweenOf(node: Node): { of: Node; from: Node; to: Node } | undefined {
  if (!('A_Expr' in node) || node.A_Expr.kind !== 'AEXPR_BETWEEN') return undefined;
  const { lexpr, rexpr } = node.A_Expr;
  const [from, to] = rexpr && 'List' in rexpr ? (rexpr.List.items ?? []) : [];
  return lexpr && from && to && isValue(from) && isValue(to) ? { of: lexpr, from, to } : undefined;
}

const isMoment = ({ type }: Column) => type.startsWith('timestamp');

/** `column::date = day`, and the other comparisons. */
function ofDate(name: string, made: Node, values: readonly Node[], owner: Owner): Searchable | undefined {
  const isCast = 'TypeCast' in made && typeName(made) === 'date';
  const isCall = 'FuncCall' in made && calledName(made.FuncCall) === 'date' && made.FuncCall.args?.length === 1;
  const arg = isCast ? made.TypeCast.arg : isCall ? made.FuncCall.args![0] : undefined;
  const owned = owner(arg);
  if (!owned || !arg || !isMoment(owned.column)) return undefined;
  const day = (value: Node) => cast(value, 'date');
  const next = (value: Node) => operation('+', day(value), number(1));
  const from = (value: Node) => operation('>=', arg, day(value));
  const before = (value: Node) => operation('<', arg, next(value));
  const [value, last = value] = values;
  const condition = {
    '=': all([from(value), before(value)]),
    BETWEEN: all([from(value), before(last)]),
    '>=': from(value),
    '<': operation('<', arg, day(value)),
    '>': operation('>=', arg, next(value)),
    '<=': before(value),
  }[name];
  return condition && { words: `day of ${owned.column.name} said as a range`, proof: 'always', condition };
}

function typeName(node: Extract<Node, { TypeCast: unknown }>): string {
  const last = node.TypeCast.typeName?.names?.at(-1);
  return last && 'String' in last ? (last.String.sval ?? '') : '';
}

const UNITS = new Set(['minute', 'hour', 'day', 'week', 'month', 'year']);

/** `date_trunc('month', column) = moment`. */
function ofTruncated(name: string, made: Node, value: Node, owner: Owner): Searchable | undefined {
  if (name !== '=' || !('FuncCall' in made) || calledName(made.FuncCall) !== 'date_trunc') return undefined;
  const [unit, arg, ...more] = made.FuncCall.args ?? [];
  const owned = owner(arg);
  const unitText = unit && 'A_Const' in unit ? (unit.A_Const.sval?.sval ?? '') : '';
  if (!owned || more.length > 0 || !isMoment(owned.column) || !UNITS.has(unitText)) return undefined;
  const moment = cast(value, owned.column.type === 'timestamp with time zone' ? 'timestamptz' : 'timestamp');
  return {
    words: `${unitText} of ${owned.column.name} said as a range`,
    proof: 'always',
    condition: all([
      operation('>=', arg, moment),
      operation('<', arg, operation('+', moment, cast(constant(`1 ${unitText}`), 'interval'))),
      // No truncated moment equals one that is not at a beginning.
      equals(call('date_trunc', unit, moment), moment),
    ])!,
  };
}

/** `extract(year from column) = 2026`. */
function ofYear(name: string, made: Node, value: Node, owner: Owner): Searchable | undefined {
  if (name !== '=' || !('FuncCall' in made) || !['extract', 'date_part'].includes(calledName(made.FuncCall))) return undefined;
  const [unit, arg] = made.FuncCall.args ?? [];
  const owned = owner(arg);
  const isYear = unit && 'A_Const' in unit && unit.A_Const.sval?.sval === 'year';
  const year = 'A_Const' in value && value.A_Const.ival ? value : 'ParamRef' in value ? cast(value, 'int4') : undefined;
  if (!owned || !isYear || !year || !(isMoment(owned.column) || owned.column.type === 'date')) return undefined;
  const begin = (of: Node) => call('make_date', of, number(1), number(1));
  return {
    words: `year of ${owned.column.name} said as a range`,
    proof: 'always',
    condition: all([operation('>=', arg, begin(year)), operation('<', arg, begin(operation('+', year, number(1))))])!,
  };
}

const WHOLE = new Set(['smallint', 'integer', 'bigint']);

/** `column + 5 > value`, with the 5 on the other side. */
function ofSum(name: string, made: Node, value: Node, owner: Owner): Searchable | undefined {
  const sum = operatorOf(made);
  if (!sum || !['+', '-'].includes(sum.name)) return undefined;
  const owned = owner(sum.left);
  if (!owned || !isValue(sum.right)) return undefined;
  const isTime = isMoment(owned.column);
  const isSpan = 'TypeCast' in sum.right && typeName(sum.right) === 'interval';
  if (isTime ? !isSpan : !WHOLE.has(owned.column.type) || !('A_Const' in sum.right && sum.right.A_Const.ival)) return undefined;
  const moved = operation(sum.name === '+' ? '-' : '+', value, sum.right);
  return {
    words: `${owned.column.name} by itself on one side`,
    // Months and days are not all as long.
    proof: isTime ? 'trial' : 'always',
    condition: operation(name, sum.left, moved),
  };
}

/** `coalesce(column, fallback) = value`. */
function ofCoalesce(name: string, made: Node, value: Node, owner: Owner): Searchable | undefined {
  if (name !== '=' || !('CoalesceExpr' in made)) return undefined;
  const [arg, fallback, ...more] = made.CoalesceExpr.args ?? [];
  const owned = owner(arg);
  if (!owned || !fallback || more.length > 0 || !isValue(fallback)) return undefined;
  return {
    words: `coalesce of ${owned.column.name} taken apart`,
    proof: 'always',
    condition: any([equals(arg, value), all([isNull(arg), equals(fallback, value)])!]),
  };
}

/** `left(column, 3) = 'abc'`: the same, and LIKE 'abc%', which an index can answer. */
function ofBeginning(name: string, made: Node, value: Node, owner: Owner): Searchable | undefined {
  if (name !== '=' || !('FuncCall' in made) || !('A_Const' in value) || value.A_Const.sval?.sval === undefined) return undefined;
  const [arg, from, count] = made.FuncCall.args ?? [];
  const called = calledName(made.FuncCall);
  const isLeft = called === 'left' && made.FuncCall.args?.length === 2;
  const isPart = ['substring', 'substr'].includes(called) && count && 'A_Const' in from && from.A_Const.ival?.ival === 1;
  const owned = owner(arg);
  if (owned?.column.category !== 'S' || owned.column.type === 'character' || !(isLeft || isPart)) return undefined;
  const pattern = `${value.A_Const.sval.sval.replace(/[\\%_]/g, '\\$&')}%`;
  const like = operation('~~', arg, constant(pattern), 'AEXPR_LIKE');
  return {
    words: `beginning of ${owned.column.name} also said as LIKE`,
    proof: 'always',
    condition: all([equals(made, value), like])!,
  };
}
