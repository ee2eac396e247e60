import type { Attributes, AttributeValue } from '../../core/trace/span.ts';
import { readKeyValue } from './attributes.ts';
import { BYTES, message, readerOf, tag } from './wire.ts';

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

/** The key of an attribute, from the bytes of its KeyValue message as latin1; empty when it does not stand first and short. */
export function keyWithin(attribute: string): string {
  const length = attribute.charCodeAt(1);
  return attribute.charCodeAt(0) === tag(1, BYTES) && length < 128 ? attribute.slice(2, 2 + length) : '';
}

/** The text under which a value is found; undefined for lists, maps, nothing, and what is too long. */
export function facetText(value: AttributeValue): string | undefined {
  if (typeof value === 'object') return undefined;
  const text = String(value);
  return text.length <= LONGEST_VALUE ? text : undefined;
}

/** Takes attributes of records one after the other, each as the bytes of a KeyValue message from `start` to `end`. */
export interface AttributeVisitor {
  visit(record: Buffer, start: number, end: number): void;
}

/** Shows where each attribute of a span record lies. */
export function eachAttribute(record: Buffer, visitor: AttributeVisitor): void {
  const end = record.length;
  let at = 0;
  while (at < end) {
    const field = record[at];
    const length = record[at + 1];
    if (field === tag(9, BYTES) && length < 128) {
      visitor.visit(record, at + 2, at + 2 + length);
      at += 2 + length;
    } else if ((field & 7) === BYTES && field < 128 && length < 128) at += 2 + length;
    else if ((field & 7) === 1 && field < 128) at += 9;
    else {
      const reader = readerOf(record);
      reader.pos = at;
      const found = reader.uint32();
      if (found === tag(9, BYTES)) {
        const size = reader.uint32();
        visitor.visit(record, reader.pos, reader.pos + size);
        at = reader.pos + size;
      } else {
        reader.skipType(found & 7);
        at = reader.pos;
      }
    }
  }
}

/** Reads one attribute from the bytes of a KeyValue message. */
export function readAttribute(bytes: Uint8Array): Attributes {
  // Read as the only field of a message around it.
  const around = Buffer.concat([Buffer.from([tag(9, BYTES), ...varint(bytes.length)]), bytes]);
  const attributes = {};
  const reader = readerOf(around);
  message(reader, around.length, (at) => at === tag(9, BYTES) && readKeyValue(reader, attributes));
  return attributes;
}

function varint(value: number): number[] {
  return value < 128 ? [value] : [(value & 127) | 128, ...varint(value >>> 7)];
}
