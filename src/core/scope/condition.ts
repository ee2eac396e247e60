/**
 * How a field is held against values, in the words in which it is written: "ferry.route is tern-marram, tern-saltern",
 * "duration over 3s", "booking.ref exists".
 */
export const OPERATORS = [
  'is not',
  'is missing',
  'is',
  'at least',
  'at most',
  'over',
  'under',
  'contains',
  'lacks',
  'exists',
  'where',
  'nowhere',
] as const;
export type Operator = (typeof OPERATORS)[number];

/** One thing that must hold for a request. Of several values of "is" one must fit, of "is not" none may. */
export interface Condition {
  /** One of the fields below, or the key of an attribute of any span or resource of the request. */
  readonly field: string;
  readonly operator: Operator;
  /** None for "exists" and "is missing", one for a comparison; for "where" the pattern that spans fit; one or more otherwise. */
  readonly values: readonly string[];
}

/** What every request has; other fields are keys of attributes. */
export const OWN_FIELDS = ['entry', 'service', 'operation', 'duration', 'failed', 'user', 'session'] as const;
export type OwnField = (typeof OWN_FIELDS)[number];

const OPPOSITES: readonly (readonly [Operator, Operator])[] = [
  ['is', 'is not'],
  ['exists', 'is missing'],
  ['over', 'at most'],
  ['under', 'at least'],
  ['contains', 'lacks'],
  ['where', 'nowhere'],
];
const COMPARISONS: readonly Operator[] = ['over', 'under', 'at least', 'at most'];
export function isComparison(operator: Operator): boolean {
  return COMPARISONS.includes(operator);
}

const NEGATIVE: readonly Operator[] = ['is not', 'is missing', 'lacks', 'nowhere'];
/** Whether it holds where its opposite finds nothing. */
export function isNegative(operator: Operator): boolean {
  return NEGATIVE.includes(operator);
}

/** Whether it takes no value. */
export function isBare(operator: Operator): boolean {
  return operator === 'exists' || operator === 'is missing';
}

/** The condition that holds exactly where this one does not. */
export function turnedRound(condition: Condition): Condition {
  const [a, b] = OPPOSITES.find((pair) => pair.includes(condition.operator))!;
  return { ...condition, operator: condition.operator === a ? b : a };
}

/** The fields that mean a span of the request, or its root: what they are held against is a pattern, see spanPattern.ts. */
export const SPAN_FIELDS = ['span', 'root'] as const;

/** Whether it says how spans must be, one or several that stand one under the other. */
export function isPattern(operator: Operator): boolean {
  return operator === 'where' || operator === 'nowhere';
}

export function condition(field: string, operator: Operator, ...values: readonly string[]): Condition {
  return { field, operator, values };
}

/** Whether the text of a value fits the positive form of a condition: "is not" asks what "is" asks, and holds where that does not. */
export function fitsPositive({ operator, values }: Condition, text: string): boolean {
  switch (operator) {
    case 'is':
    case 'is not':
      return values.includes(text);
    case 'contains':
    case 'lacks':
      return text.toLowerCase().includes(values[0].toLowerCase());
    case 'over':
      return sizeOf(text) > Number(values[0]);
    case 'at least':
      return sizeOf(text) >= Number(values[0]);
    case 'under':
      return sizeOf(text) < Number(values[0]);
    case 'at most':
      return sizeOf(text) <= Number(values[0]);
    case 'exists':
    case 'is missing':
    case 'where':
    case 'nowhere':
      return true;
  }
}

/** A text as a number; what is none, an empty text too, is neither over nor under anything. */
function sizeOf(text: string): number {
  return text.trim() === '' ? Number.NaN : Number(text);
}
