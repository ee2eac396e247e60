import { type Condition, condition } from '../../scope/condition.ts';
import { parsePattern, writeCondition, writePattern } from '../../scope/conditionText.ts';

/** By what requests are distinguished: an attribute of any of their spans; or, with a service, what that runs on. */
export interface Facet {
  /** The key of an attribute; or entry, user. */
  readonly field: string;
  readonly service: string | null;
}

/** What must hold for one facet: one of some values, or a number that is not below or above a bound. */
export type Clause =
  | { readonly facet: Facet; readonly values: readonly string[] }
  | { readonly facet: Facet; readonly least: number }
  | { readonly facet: Facet; readonly most: number };

/** The requests for which all clauses hold. */
export type RequestSet = readonly Clause[];

export function facetKey({ field, service }: Facet): string {
  return service === null ? field : `${field}\0${service}`;
}

/** The conditions that hold for the requests of a set and for no others: a set is a narrowing of every page. */
export function conditionsOf(set: RequestSet): Condition[] {
  return set.map((clause): Condition => {
    const { field, service } = clause.facet;
    if ('least' in clause) return condition(field, 'at least', String(clause.least));
    if ('most' in clause) return condition(field, 'at most', String(clause.most));
    const is = condition(field, 'is', ...clause.values);
    if (service === null) return is;
    return condition('span', 'where', writePattern([{ conditions: [condition('service', 'is', service), is], under: null }]));
  });
}

/** The same text for the same set. */
export function setKey(set: RequestSet): string {
  return conditionsOf(set).map(writeCondition).sort().join(';');
}

/** Whether the text of a value fits a clause. */
export function fitsClause(clause: Clause, text: string): boolean {
  if ('values' in clause) return clause.values.includes(text);
  const value = sizeOf(text);
  return 'least' in clause ? value >= clause.least : value <= clause.most;
}

/** A text as a number; NaN for one that is none. */
export function sizeOf(text: string): number {
  return text.trim() === '' ? Number.NaN : Number(text);
}

/** The set that some conditions ask for; undefined when one of them is not of a kind that sets are made of. */
export function setOf(conditions: readonly Condition[]): RequestSet | undefined {
  const set = conditions.map(clauseOf);
  return set.every((it) => it !== undefined) ? set : undefined;
}

function clauseOf({ field, operator, values }: Condition): Clause | undefined {
  if (field === 'span') {
    const pattern = operator === 'where' ? parsePattern(values[0]) : '';
    if (typeof pattern === 'string' || pattern.length !== 1 || pattern[0].conditions.length !== 2) return undefined;
    const [of, is] = pattern[0].conditions;
    if (of.field !== 'service' || of.operator !== 'is' || of.values.length !== 1 || is.operator !== 'is') return undefined;
    return { facet: { field: is.field, service: of.values[0] }, values: is.values };
  }
  const facet: Facet = { field, service: null };
  if (operator === 'is') return { facet, values };
  if (operator === 'at least') return { facet, least: Number(values[0]) };
  if (operator === 'at most') return { facet, most: Number(values[0]) };
  return undefined;
}
