import type { Node, SelectStmt } from '@pgsql/types';
import type { Catalogue } from '../catalogue.ts';
import { qualified, type Range, rangesOf, usedRanges } from './ranges.ts';
import { conjuncts, operatorOf } from './visit.ts';

/** How a query within another depends on it: by equalities alone. */
export interface Correlation {
  readonly ranges: readonly Range[];
  /** Each an expression of the query within that has to equal one of the query around; both fit to be put elsewhere. */
  readonly pairs: readonly { readonly inner: Node; readonly outer: Node }[];
  /** Conditions on the query within alone. */
  readonly own: readonly Node[];
}

/** Takes a query apart that depends on the one around it. Undefined when it does so in another way than by equalities. */
export function correlationOf(within: SelectStmt, around: readonly Range[], catalogue: Catalogue): Correlation | undefined {
  const ranges = rangesOf(within, catalogue);
  if (!ranges || ranges.some(({ alias }) => around.some((it) => it.alias === alias))) return undefined;
  const pairs: { inner: Node; outer: Node }[] = [];
  const own: Node[] = [];
  for (const it of conjuncts(within.whereClause)) {
    const inner = ownExpression(it, ranges);
    if (inner) {
      own.push(inner);
      continue;
    }
    const operator = operatorOf(it);
    if (operator?.name !== '=') return undefined;
    const pair = pairOf(operator.left, operator.right, ranges, around) ?? pairOf(operator.right, operator.left, ranges, around);
    if (!pair) return undefined;
    pairs.push(pair);
  }
  return { ranges, pairs, own };
}

/** An expression on some ranges alone, fit to be put elsewhere; undefined when it uses others. */
export function ownExpression(expression: Node, ranges: readonly Range[]): Node | undefined {
  return usedRanges(expression, ranges) ? qualified(expression, ranges) : undefined;
}

/** An equality between something of a query within and something of the one around it. Names mean the query within first. */
function pairOf(mine: Node, other: Node, ranges: readonly Range[], around: readonly Range[]) {
  const used = usedRanges(mine, ranges);
  if (!used || used.size === 0 || usedRanges(other, ranges)) return undefined;
  const [inner, outer] = [qualified(mine, ranges), qualified(other, around)];
  return inner && outer ? { inner, outer } : undefined;
}
