import type { Attributes, AttributeValue } from '../../../core/trace/span.ts';

/** A short attribute value by which requests can be distinguished. */
export interface Facet {
  readonly key: string;
  /** As text; numbers and truth values as JavaScript writes them. */
  readonly value: string;
}

/** Characters of a value that is a facet, at most. */
const LONGEST_VALUE = 120;
/** Characters of a key: one that is longer fits into no index. */
const LONGEST_KEY = 250;
/** Statements, whole addresses, places in code and threads tell single calls apart, not kinds of requests. Events are told by columns alone. */
const LEFT_OUT = /^(enduser\.id|user\.id|session\.id|db\.query\.text|url\.(full|path|query)|code\.|thread\.|exception\.|event:)/;

/** Represents all values of a key that are no short text, number or truth value: to distinguish them, the spans are read. */
export const OTHER_VALUE = '…';

/** The facets among some attributes. */
export function facetsOf(attributes: Attributes): Facet[] {
  return Object.entries(attributes).flatMap(([key, value]) =>
    value === null || !isFacetKey(key) ? [] : [{ key, value: facetText(value) }],
  );
}

/** Whether values of a key are facets at all. */
export function isFacetKey(key: string): boolean {
  return key.length <= LONGEST_KEY && !LEFT_OUT.test(key);
}

function facetText(value: AttributeValue): string {
  if (typeof value === 'object') return OTHER_VALUE;
  const text = String(value);
  return text.length <= LONGEST_VALUE ? text : OTHER_VALUE;
}
