import type { Attributes, AttributeValue, InstrumentationScope, Span, SpanEvent } from '../../core/trace/span.ts';
import {
  DEEPEST_VALUE,
  type DecodedSpans,
  integer,
  MalformedRequest,
  type RawLink,
  RefusedSpan,
  SpanCollector,
  setAttribute,
  storable,
  toSpan,
} from './rawSpan.ts';

type Json = unknown;
type JsonObject = Record<string, unknown>;

/**
 * Reads the body of an OTLP/JSON trace export request: ids in hex, enumerations as integers, 64-bit integers as text or number,
 * unknown fields passed over.
 *
 * @throws MalformedRequest when the body is no such request
 */
export function decodeTracesJson(text: string): DecodedSpans {
  const body = objectOr(parse(text), () => new MalformedRequest('the body is not a JSON object'));
  const collector = new SpanCollector();
  for (const resourceSpans of outerList(body, 'resourceSpans')) {
    const resource = readOuter(() => attributes(object(resourceSpans, 'resource').attributes));
    for (const scopeSpans of outerList(resourceSpans, 'scopeSpans')) {
      const scope = readOuter(() => readScope(object(scopeSpans, 'scope')));
      const spans = scopeSpans.spans ?? [];
      if (!Array.isArray(spans)) throw new MalformedRequest('spans is not a list');
      for (const span of spans) collector.add(() => readSpan(span, resource, scope));
    }
  }
  return collector;
}

/** 64-bit integers written without quotes would lose their last digits in JSON.parse: these fields get their quotes first. */
const BARE_LONG = /("(?:startTimeUnixNano|endTimeUnixNano|timeUnixNano|intValue)"\s*:\s*)(-?\d{16,})(?=\s*[,}\]])/g;

function parse(text: string): Json {
  try {
    return JSON.parse(text.replace(BARE_LONG, '$1"$2"'));
  } catch (error) {
    throw new MalformedRequest(`the body is not JSON: ${(error as Error).message}`);
  }
}

function readSpan(json: Json, resource: Attributes, scope: InstrumentationScope): Span {
  const span = objectOr(json, () => new RefusedSpan('span is not an object'));
  const status = object(span, 'status');
  return toSpan(
    {
      traceId: text(span, 'traceId'),
      spanId: text(span, 'spanId'),
      parentSpanId: text(span, 'parentSpanId'),
      traceState: text(span, 'traceState'),
      name: text(span, 'name'),
      kind: enumeration(span, 'kind'),
      start: long(span, 'startTimeUnixNano'),
      end: long(span, 'endTimeUnixNano'),
      attributes: attributes(span.attributes),
      events: list(span, 'events').map(readEvent),
      links: list(span, 'links').map(readLink),
      statusCode: enumeration(status, 'code'),
      statusMessage: text(status, 'message'),
    },
    resource,
    scope,
  );
}

function readScope(scope: JsonObject): InstrumentationScope {
  return { name: text(scope, 'name'), version: text(scope, 'version') };
}

function readEvent(event: JsonObject): SpanEvent {
  return { time: long(event, 'timeUnixNano'), name: text(event, 'name'), attributes: attributes(event.attributes) };
}

function readLink(link: JsonObject): RawLink {
  return {
    traceId: text(link, 'traceId'),
    spanId: text(link, 'spanId'),
    traceState: text(link, 'traceState'),
    attributes: attributes(link.attributes),
  };
}

function attributes(json: Json, depth = 0): Attributes {
  const result: Record<string, AttributeValue> = {};
  for (const pair of listOf(json, 'attributes')) setAttribute(result, text(pair, 'key'), anyValue(object(pair, 'value'), depth));
  return result;
}

function anyValue(value: JsonObject, depth: number): AttributeValue {
  if (depth > DEEPEST_VALUE) throw new RefusedSpan(`attribute is nested deeper than ${DEEPEST_VALUE}`);
  if (value.stringValue != null) return text(value, 'stringValue');
  if (value.boolValue != null) {
    if (typeof value.boolValue !== 'boolean') throw new RefusedSpan('boolValue is not true or false');
    return value.boolValue;
  }
  if (value.intValue != null) return integer(long(value, 'intValue', -(2n ** 63n)));
  if (value.doubleValue != null) return double(value.doubleValue);
  if (value.arrayValue != null) return list(object(value, 'arrayValue'), 'values').map((item) => anyValue(item, depth + 1));
  if (value.kvlistValue != null) return attributes(object(value, 'kvlistValue').values, depth + 1);
  if (value.bytesValue != null) return text(value, 'bytesValue');
  return null;
}

function double(value: Json): number | string {
  const number = typeof value === 'number' ? value : Number(value);
  if (typeof value !== 'number' && !/^(NaN|-?Infinity|-?\d[\d.eE+-]*)$/.test(String(value)))
    throw new RefusedSpan('doubleValue is not a number');
  return Number.isFinite(number) ? number : String(number);
}

function text(from: JsonObject, key: string): string {
  const value = from[key];
  if (value == null) return '';
  if (typeof value !== 'string') throw new RefusedSpan(`${key} is not a text`);
  return storable(value);
}

function enumeration(from: JsonObject, key: string): number {
  const value = from[key];
  if (value == null) return 0;
  if (!Number.isInteger(value)) throw new RefusedSpan(`${key} is not an integer`);
  return value as number;
}

function long(from: JsonObject, key: string, least = 0n): bigint {
  const value = from[key];
  if (value == null) return 0n;
  const digits = typeof value === 'number' && Number.isInteger(value) ? BigInt(value).toString() : value;
  if (typeof digits !== 'string' || !/^-?\d{1,20}$/.test(digits)) throw new RefusedSpan(`${key} is not an integer`);
  const number = BigInt(digits);
  if (number < least || number >= 2n ** 64n) throw new RefusedSpan(`${key} is out of range`);
  return number;
}

function object(from: JsonObject, key: string): JsonObject {
  return from[key] == null ? {} : objectOr(from[key], () => new RefusedSpan(`${key} is not an object`));
}

function list(from: JsonObject, key: string): JsonObject[] {
  return listOf(from[key], key);
}

function listOf(value: Json, key: string): JsonObject[] {
  if (value == null) return [];
  if (!Array.isArray(value)) throw new RefusedSpan(`${key} is not a list`);
  return value.map((item) => objectOr(item, () => new RefusedSpan(`${key} holds something that is not an object`)));
}

function objectOr(value: Json, error: () => Error): JsonObject {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw error();
  return value as JsonObject;
}

/** Around the spans nothing can be refused singly: what is wrong there makes the whole request unreadable. */
function readOuter<T>(read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw error instanceof RefusedSpan ? new MalformedRequest(error.message) : error;
  }
}

function outerList(from: JsonObject, key: string): JsonObject[] {
  return readOuter(() => list(from, key));
}
