/** Lower-case hex of the 16 bytes that W3C trace context calls a trace id. */
export type TraceId = string & { readonly __brand: 'TraceId' };
/** Lower-case hex of the 8 bytes of a span id. */
export type SpanId = string & { readonly __brand: 'SpanId' };
/** Whole nanoseconds; inside one trace counted from its first start, exact in a JS number up to 104 days. */
export type Nanos = number;
/** Whole nanoseconds since 1970-01-01T00:00:00Z; a bigint, since it is beyond the exact range of a number. */
export type EpochNanos = bigint;

export type AttributeValue =
  | string
  | number
  | boolean
  | null
  | readonly AttributeValue[]
  | { readonly [key: string]: AttributeValue };
export type Attributes = { readonly [key: string]: AttributeValue };

/** In the order of OpenTelemetry's numbers, so that the index is the number on the wire. */
export const SPAN_KINDS = ['unspecified', 'internal', 'server', 'client', 'producer', 'consumer'] as const;
export type SpanKind = (typeof SPAN_KINDS)[number];
/** Kinds as they are stored. */
export const SERVER = SPAN_KINDS.indexOf('server');
export const CLIENT = SPAN_KINDS.indexOf('client');
export const PRODUCER = SPAN_KINDS.indexOf('producer');
export const CONSUMER = SPAN_KINDS.indexOf('consumer');

/** In the order of OpenTelemetry's numbers, so that the index is the number on the wire. */
export const SPAN_STATUSES = ['unset', 'ok', 'error'] as const;
export type SpanStatus = (typeof SPAN_STATUSES)[number];

export interface SpanEvent {
  readonly time: EpochNanos;
  readonly name: string;
  readonly attributes: Attributes;
}

export interface SpanLink {
  readonly traceId: TraceId;
  readonly spanId: SpanId;
  readonly traceState: string;
  readonly attributes: Attributes;
}

/** Who recorded a span: the library that made it, as OpenTelemetry's instrumentation scope. */
export interface InstrumentationScope {
  readonly name: string;
  readonly version: string;
}

/** One operation as its sender reported it. `end` is never before `start`. */
export interface Span {
  readonly traceId: TraceId;
  readonly spanId: SpanId;
  readonly parentSpanId: SpanId | null;
  readonly traceState: string;
  readonly name: string;
  readonly service: string;
  readonly kind: SpanKind;
  readonly start: EpochNanos;
  readonly end: EpochNanos;
  readonly status: SpanStatus;
  readonly statusMessage: string;
  readonly attributes: Attributes;
  /** One object shared by all spans of one resource. */
  readonly resource: Attributes;
  readonly scope: InstrumentationScope;
  readonly events: readonly SpanEvent[];
  readonly links: readonly SpanLink[];
}

/** The text of an attribute, or undefined when it is absent or not a text. */
export function textAttribute(attributes: Attributes, key: string): string | undefined {
  const value = attributes[key];
  return typeof value === 'string' && value !== '' ? value : undefined;
}

const TRACE_ID = /^(?!0{32}$)[0-9a-f]{32}$/;
const SPAN_ID = /^(?!0{16}$)[0-9a-f]{16}$/;

/** A trace id from hex of either case; undefined when it is not 32 hex digits or all zero. */
export function parseTraceId(text: string): TraceId | undefined {
  const id = text.toLowerCase();
  return TRACE_ID.test(id) ? (id as TraceId) : undefined;
}

/** A span id from hex of either case; undefined when it is not 16 hex digits or all zero. */
export function parseSpanId(text: string): SpanId | undefined {
  const id = text.toLowerCase();
  return SPAN_ID.test(id) ? (id as SpanId) : undefined;
}
