import { parseDuration } from '../time/duration.ts';

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
] as const;
export type Operator = (typeof OPERATORS)[number];

/** One thing that must hold for a request. Of several values of "is" one must fit, of "is not" none may. */
export interface Condition {
  /** One of the fields below, or the key of an attribute of any span or resource of the request. */
  readonly field: string;
  readonly operator: Operator;
  /** None for "exists" and "is missing", one for a comparison, one or more otherwise. */
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
];
const COMPARISONS: readonly Operator[] = ['over', 'under', 'at least', 'at most'];
/** Signs that are understood for the words when they are typed. */
const SIGNS: readonly (readonly [string, Operator])[] = [
  ['!=', 'is not'],
  ['>=', 'at least'],
  ['<=', 'at most'],
  ['!~', 'lacks'],
  ['=', 'is'],
  ['>', 'over'],
  ['<', 'under'],
  ['~', 'contains'],
];

export function isComparison(operator: Operator): boolean {
  return COMPARISONS.includes(operator);
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

export function condition(field: string, operator: Operator, ...values: readonly string[]): Condition {
  return { field, operator, values };
}

const FIELD = /^[A-Za-z_][\w.:/-]*/;

/** Reads "field operator value, value"; values with a comma, a semicolon or quotes in them stand in quotes. @returns why not, in words */
export function parseCondition(text: string): Condition | string {
  const typed = text.trim();
  const field = FIELD.exec(typed)?.[0];
  if (!field) return `"${typed.slice(0, 60)}" does not begin with a field`;
  const rest = typed.slice(field.length).trim();
  const lower = rest.toLowerCase();
  const word = OPERATORS.find((it) => lower.startsWith(it) && !/^\w/.test(rest.slice(it.length)));
  const sign = word ? undefined : SIGNS.find(([it]) => rest.startsWith(it));
  const operator = word ?? sign?.[1];
  if (!operator) return `after "${field}" comes a word such as is, is not, over, under, contains or exists`;
  const values = parseValues(rest.slice((word ?? sign![0]).length));
  if (typeof values === 'string') return values;
  return checked({ field, operator, values });
}

function checked(it: Condition): Condition | string {
  const { field, operator, values } = it;
  if (isBare(operator)) return values.length === 0 ? it : `"${operator}" takes no value`;
  if (values.length === 0) return `"${field} ${operator}" wants a value`;
  if (operator !== 'is' && operator !== 'is not' && values.length > 1) return `"${operator}" takes one value`;
  if (field === 'duration') {
    if (!isComparison(operator)) return 'a duration is over, under, at least or at most';
    return parseDuration(values[0]) === undefined ? `"${values[0]}" is no duration: try 3s or 250ms` : it;
  }
  if (field === 'failed')
    return (operator === 'is' || operator === 'is not') && values.every((value) => value === 'yes' || value === 'no')
      ? it
      : 'failed is yes or no';
  if (isComparison(operator)) {
    if ((OWN_FIELDS as readonly string[]).includes(field)) return `${field} has no size`;
    return Number.isFinite(Number(values[0])) && values[0].trim() !== '' ? it : `"${values[0]}" is no number`;
  }
  return it;
}

/** Comma-separated, with quotes where they must be; a backslash takes the next sign as it is. */
function parseValues(text: string): string[] | string {
  const values: string[] = [];
  let at = 0;
  const skip = () => {
    while (text[at] === ' ') at++;
  };
  for (skip(); at < text.length; skip()) {
    let value = '';
    if (text[at] === '"') {
      at++;
      while (at < text.length && text[at] !== '"') {
        if (text[at] === '\\') at++;
        value += text[at++] ?? '';
      }
      if (text[at] !== '"') return 'a quote is not closed';
      at++;
      skip();
      if (at < text.length && text[at] !== ',') return `after ${JSON.stringify(value)} comes a comma or the end`;
    } else {
      while (at < text.length && text[at] !== ',') value += text[at++];
      value = value.trim();
      if (value === '') return 'a value is empty: write "" for an empty text';
    }
    values.push(value);
    at++;
  }
  return values;
}

/** As it is read back by `parseCondition`. */
export function writeCondition({ field, operator, values }: Condition): string {
  return [field, operator, ...(values.length > 0 ? [values.map(writeValue).join(',')] : [])].join(' ');
}

function writeValue(value: string): string {
  return value === '' || /[,;"\\]|^\s|\s$/.test(value) ? `"${value.replace(/["\\]/g, '\\$&')}"` : value;
}

/** Splits "a is b; c over 2" at the semicolons that do not stand in quotes. */
export function splitConditions(text: string): string[] {
  const parts = text.match(/(?:"(?:\\.|[^"\\])*"?|[^;"])+/g) ?? [];
  return parts.map((part) => part.trim()).filter((part) => part !== '');
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
      return Number(text) > Number(values[0]);
    case 'at least':
      return Number(text) >= Number(values[0]);
    case 'under':
      return Number(text) < Number(values[0]);
    case 'at most':
      return Number(text) <= Number(values[0]);
    case 'exists':
    case 'is missing':
      return true;
  }
}
