import type { Attributes, AttributeValue } from '../../core/trace/span.ts';

/** A short attribute value by which requests can be told apart. */
export interface Facet {
  readonly key: string;
  /** As text; numbers and truth values as JavaScript writes them. */
  readonly value: string;
}

/** Characters of a value that is a facet, at most. */
export const LONGEST_VALUE = 120;
/** Statements, whole addresses, places in code and threads tell single calls apart, not kinds of requests. */
const LEFT_OUT = /^(enduser\.id|user\.id|session\.id|db\.query\.text|url\.(full|path|query)|code\.|thread\.|exception\.)/;

/** The facets among some attributes: short texts, numbers, truth values. */
export function facetsOf(attributes: Attributes): Facet[] {
  return Object.entries(attributes).flatMap(([key, value]) => {
    const text = facetText(value);
    return text === undefined || !isFacetKey(key) ? [] : [{ key, value: text }];
  });
}

/** Whether values of a key are facets at all. */
export function isFacetKey(key: string): boolean {
  return !LEFT_OUT.test(key);
}

/** The text under which a value is found; undefined for lists, maps, nothing, and what is too long. */
export function facetText(value: AttributeValue): string | undefined {
  if (typeof value === 'object') return undefined;
  const text = String(value);
  return text.length <= LONGEST_VALUE ? text : undefined;
}
