import type { Attributes, AttributeValue, InstrumentationScope } from '../../../core/trace/span.ts';
import { DEEPEST_VALUE, tooDeep } from '../wire/refusal.ts';
import { BYTES, FIXED64, message, type Reader, readerOf, signed64, submessage, tag, VARINT } from '../wire/wire.ts';

/** The attributes of a Resource message, in field 1. */
export function readResource(bytes: Uint8Array): Attributes {
  return attributesIn(bytes, 1);
}

/** Name and version of an InstrumentationScope message. */
export function readScope(bytes: Uint8Array): InstrumentationScope {
  const reader = readerOf(bytes);
  let name = '';
  let version = '';
  message(reader, bytes.length, (at) => {
    if (at === tag(1, BYTES)) name = text(reader);
    else if (at === tag(2, BYTES)) version = text(reader);
    else return false;
    return true;
  });
  return { name, version };
}

/** The attributes that a message has in a repeated KeyValue field. */
export function attributesIn(bytes: Uint8Array, field: number): Attributes {
  const attributes = {};
  const reader = readerOf(bytes);
  message(reader, bytes.length, (at) => at === tag(field, BYTES) && readKeyValue(reader, attributes));
  return attributes;
}

/** Reads a KeyValue into `into`. Always true, so that it can end the reading of a field. */
export function readKeyValue(reader: Reader, into: Record<string, AttributeValue>, depth = 0): true {
  let key = '';
  let value: AttributeValue = null;
  submessage(reader, (at) => {
    if (at === tag(1, BYTES)) key = text(reader);
    else if (at === tag(2, BYTES)) value = readAnyValue(reader, depth);
    else return false;
    return true;
  });
  setAttribute(into, key, value);
  return true;
}

/** The key of a KeyValue, of which the value is not read. */
export function keyOf(reader: Reader): string {
  let key = '';
  submessage(reader, (at) => {
    if (at !== tag(1, BYTES)) return false;
    key = text(reader);
    return true;
  });
  return key;
}

export function readAnyValue(reader: Reader, depth = 0): AttributeValue {
  if (depth > DEEPEST_VALUE) throw tooDeep();
  let value: AttributeValue = null;
  submessage(reader, (at) => {
    switch (at) {
      case tag(1, BYTES):
        value = text(reader);
        return true;
      case tag(2, VARINT):
        value = reader.bool();
        return true;
      case tag(3, VARINT):
        value = integer(signed64(reader.int64()));
        return true;
      case tag(4, FIXED64): {
        const number = reader.double();
        value = Number.isFinite(number) ? number : String(number);
        return true;
      }
      case tag(5, BYTES): {
        const items: AttributeValue[] = [];
        submessage(reader, (inner) => inner === tag(1, BYTES) && items.push(readAnyValue(reader, depth + 1)) > 0);
        value = items;
        return true;
      }
      case tag(6, BYTES): {
        const map = {};
        submessage(reader, (inner) => inner === tag(1, BYTES) && readKeyValue(reader, map, depth + 1));
        value = map;
        return true;
      }
      case tag(7, BYTES):
        value = Buffer.from(reader.bytes()).toString('base64');
        return true;
      default:
        return false;
    }
  });
  return value;
}

export function text(reader: Reader): string {
  return storable(reader.string());
}

/** A text that every store and every JSON reader can hold: the NUL character becomes U+FFFD, and so do lone halves of surrogate pairs. */
export function storable(text: string): string {
  const whole = text.isWellFormed() ? text : text.toWellFormed();
  return whole.includes('\0') ? whole.replaceAll('\0', '\uFFFD') : whole;
}

/** Sets an attribute as a property of the object's own, whatever the key is called; `__proto__` too. */
function setAttribute(attributes: Record<string, AttributeValue>, key: string, value: AttributeValue): void {
  if (key === '__proto__')
    Object.defineProperty(attributes, key, { value, enumerable: true, configurable: true, writable: true });
  else attributes[key] = value;
}

/** An integer that a JS number does not hold exactly is shown as text; the bytes that are kept have it whole. */
function integer(value: bigint): number | string {
  const number = Number(value);
  return Number.isSafeInteger(number) ? number : value.toString();
}
