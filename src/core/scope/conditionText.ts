import { parseDuration } from '../time/duration.ts';
import {
  type Condition,
  isBare,
  isComparison,
  isPattern,
  OPERATORS,
  type Operator,
  OWN_FIELDS,
  SPAN_FIELDS,
} from './condition.ts';
import type { SpanPattern, SpanStep } from './spanPattern.ts';

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
  const after = rest.slice((word ?? sign![0]).length);
  if (isPattern(operator)) return checkedPattern(field, operator, unquoted(after.trim()));
  const values = parseValues(after);
  if (typeof values === 'string') return values;
  return checked({ field, operator, values });
}

function checkedPattern(field: string, operator: Operator, pattern: string): Condition | string {
  if (!(SPAN_FIELDS as readonly string[]).includes(field)) return `"${operator}" is said of span or root`;
  const read = parsePattern(pattern);
  return typeof read === 'string' ? read : { field, operator, values: [pattern] };
}

/** A text in quotes without them. */
function unquoted(text: string): string {
  return /^"(?:\\.|[^"\\])*"$/.test(text) ? text.slice(1, -1).replace(/\\(.)/g, '$1') : text;
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
  // A pattern reads better as it is; only what would part it from the rest is quoted.
  if (isPattern(operator)) return `${field} ${operator} ${/[;"]/.test(values[0]) ? quoted(values[0]) : values[0]}`;
  return [field, operator, ...(values.length > 0 ? [values.map(writeValue).join(',')] : [])].join(' ');
}

function writeValue(value: string): string {
  return value === '' || /[,;"\\]|^\s|\s$/.test(value) ? quoted(value) : value;
}

function quoted(text: string): string {
  return `"${text.replace(/["\\]/g, '\\$&')}"`;
}

/** A pattern as `parsePattern` reads it back, whatever the values are. */
export function writePattern(pattern: SpanPattern): string {
  return pattern
    .map(({ conditions, under }) => {
      const words = conditions.map(({ field, operator, values }) =>
        [field, operator, ...(values.length > 0 ? [values.map(writeStepValue).join(',')] : [])].join(' '),
      );
      const above = under === null ? '' : under === 'direct' ? 'directly above ' : 'above ';
      return above + words.join(' and ');
    })
    .join(' ');
}

/** Inside a pattern words such as "and" and "above" part conditions: all but plain values are quoted. */
function writeStepValue(value: string): string {
  return /^[\w./{}:-]+$/.test(value) ? value : quoted(value);
}

/** Splits "a is b; c over 2" at the semicolons that do not stand in quotes. */
export function splitConditions(text: string): string[] {
  const parts = text.match(/(?:"(?:\\.|[^"\\])*"?|[^;"])+/g) ?? [];
  return parts.map((part) => part.trim()).filter((part) => part !== '');
}

/** Words between steps and conditions, outside of quotes. */
const WORDS = /"(?:\\.|[^"\\])*"|\s+(directly above|above|and)\s+/gi;

/** Reads a pattern: conditions joined by "and", spans by "above" or "directly above". @returns why not, in words */
export function parsePattern(text: string): SpanPattern | string {
  const steps: SpanStep[] = [];
  let conditions: Condition[] = [];
  let under: SpanStep['under'] = null;
  let from = 0;
  const take = (to: number): string | undefined => {
    const part = text.slice(from, to).trim();
    if (part === '') return 'a condition is missing: try service is berths';
    const read = readOne(part);
    if (typeof read === 'string') return read;
    conditions.push(read);
    return undefined;
  };
  for (const match of text.matchAll(WORDS)) {
    const word = match[1]?.toLowerCase();
    if (!word) continue;
    const wrong = take(match.index);
    if (wrong) return wrong;
    from = match.index + match[0].length;
    if (word === 'and') continue;
    steps.push({ conditions, under });
    conditions = [];
    under = word === 'above' ? 'any' : 'direct';
  }
  const wrong = take(text.length);
  if (wrong) return wrong;
  return [...steps, { conditions, under }];
}

/** A condition on a span; "failed" alone says that it did, "berths" alone is a service. */
function readOne(text: string): Condition | string {
  if (text === 'failed') return { field: 'failed', operator: 'is', values: ['yes'] };
  if (/^[\w-]+$/.test(text)) return { field: 'service', operator: 'is', values: [text] };
  const read = parseCondition(text);
  if (typeof read === 'string') return read;
  if (isPattern(read.operator)) return 'a pattern does not stand in another';
  if (read.field === 'entry' || read.field === 'user' || read.field === 'session')
    return `${read.field} is a thing of the whole request: it is a condition of its own`;
  return read;
}
