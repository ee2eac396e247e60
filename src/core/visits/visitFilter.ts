import { type CodeColumn, codesOf, type ListColumn, listsOf, type Segment } from '../columns/segment.ts';
import { SIGNS } from './struggle.ts';
import { FACETS } from './visitColumns.ts';

/** What visits are narrowed by: a field has, or has not, one of some values. */
export interface VisitCondition {
  readonly field: string;
  readonly values: readonly string[];
  readonly not: boolean;
}

const MOST_CONDITIONS = 20;
const MOST_VALUES = 50;

/** Conditions as text, as an address has them: `version=2.31;!region=Tern|Marram`, each part percent-encoded. */
export function conditionsText(conditions: readonly VisitCondition[]): string {
  return conditions
    .map(({ field, values, not }) => `${not ? '!' : ''}${encodeURIComponent(field)}=${values.map(encodeURIComponent).join('|')}`)
    .join(';');
}

/** The conditions that a text has; undefined when it is none. */
export function parseConditions(text: string): VisitCondition[] | undefined {
  if (text === '') return [];
  const found: VisitCondition[] = [];
  for (const part of text.split(';')) {
    const match = /^(!?)([^=]+)=(.*)$/s.exec(part);
    if (!match || found.length >= MOST_CONDITIONS) return undefined;
    try {
      const values = match[3].split('|').map(decodeURIComponent);
      if (values.length > MOST_VALUES) return undefined;
      found.push({ field: decodeURIComponent(match[2]), values, not: match[1] === '!' });
    } catch {
      return undefined;
    }
  }
  return found;
}

/** Which visits of a segment fulfil all conditions: 1 for each that does. */
export function passing(visits: Segment, conditions: readonly VisitCondition[]): Uint8Array {
  const passes = new Uint8Array(visits.rows).fill(1);
  for (const condition of conditions) {
    const has = fulfils(visits, condition);
    for (let row = 0; row < passes.length; row++) if (has(row) === condition.not) passes[row] = 0;
  }
  return passes;
}

function fulfils(visits: Segment, { field, values }: VisitCondition): (row: number) => boolean {
  const wanted = new Set(values);
  if ((FACETS as readonly string[]).includes(field) || field === 'user' || field === 'session')
    return withText(codesOf(visits, field), wanted);
  if (field === 'new') {
    const { values: codes } = codesOf(visits, 'new');
    return (row) => wanted.has(['', 'no', 'yes'][codes[row]] ?? '');
  }
  if (field === 'sign') return anyCount(visits, wanted.has('any') ? SIGNS : SIGNS.filter((it) => wanted.has(it)));
  if (field === 'fault')
    return anyCount(visits, [...(wanted.has('error') ? ['errors'] : []), ...(wanted.has('crash') ? ['crashes'] : [])]);
  if (field === 'page' || field === 'action')
    return withItem(listsOf(visits, 'step'), new Set(values.map((it) => `${field} ${it}`)));
  return withItem(listsOf(visits, 'more'), new Set(values.map((it) => `${field}\0${it}`)));
}

function withText({ values, texts }: CodeColumn, wanted: ReadonlySet<string>): (row: number) => boolean {
  const isWanted = new Uint8Array(texts.length + 1);
  if (wanted.has('')) isWanted[0] = 1;
  for (const [at, text] of texts.entries()) if (wanted.has(text)) isWanted[at + 1] = 1;
  return (row) => isWanted[values[row]] === 1;
}

function withItem({ offsets, items, texts }: ListColumn, wanted: ReadonlySet<string>): (row: number) => boolean {
  const isWanted = new Uint8Array(texts.length);
  for (const [at, text] of texts.entries()) if (wanted.has(text)) isWanted[at] = 1;
  return (row) => {
    for (let at = offsets[row]; at < offsets[row + 1]; at++) if (isWanted[items[at]]) return true;
    return false;
  };
}

function anyCount(visits: Segment, columns: readonly string[]): (row: number) => boolean {
  const counts = columns.map((name) => codesOf(visits, name).values);
  return (row) => counts.some((it) => it[row] > 0);
}
