import {
  type Attributes,
  type AttributeValue,
  type EpochNanos,
  type InstrumentationScope,
  parseSpanId,
  parseTraceId,
  SPAN_KINDS,
  SPAN_STATUSES,
  type Span,
  type SpanEvent,
  type SpanLink,
  textAttribute,
} from '../../core/trace/span.ts';

/** A span as read from the wire, of either encoding, before its content is judged. Ids are hex; absent fields are zero or empty. */
export interface RawSpan {
  traceId: string;
  spanId: string;
  parentSpanId: string;
  traceState: string;
  name: string;
  kind: number;
  start: bigint;
  end: bigint;
  attributes: Attributes;
  events: SpanEvent[];
  links: RawLink[];
  statusCode: number;
  statusMessage: string;
}

export interface RawLink {
  traceId: string;
  spanId: string;
  traceState: string;
  attributes: Attributes;
}

/** Why one span of a readable request is refused. The rest of the request is kept. */
export class RefusedSpan extends Error {}

/** A request that cannot be read at all. */
export class MalformedRequest extends Error {}

/** The spans of one request that can be kept, and how many were refused for which reason. */
export interface DecodedSpans {
  readonly spans: Span[];
  readonly refused: Map<string, number>;
}

/** Attribute values nested deeper than this are refused. */
export const DEEPEST_VALUE = 32;

/** Beyond this a duration is not exact in a JS number: about 104 days. */
const LONGEST = BigInt(Number.MAX_SAFE_INTEGER);
/** The last nanosecond that a signed 64-bit column holds: in the year 2262. */
const LAST_TIME = 2n ** 63n - 1n;

/** Judges a span's content. @throws RefusedSpan with the reason */
export function toSpan(raw: RawSpan, resource: Attributes, scope: InstrumentationScope): Span {
  const traceId = parseTraceId(raw.traceId) ?? refuse('trace id is not 16 bytes, or all zero');
  const spanId = parseSpanId(raw.spanId) ?? refuse('span id is not 8 bytes, or all zero');
  return {
    traceId,
    spanId,
    parentSpanId: parentOf(raw.parentSpanId),
    traceState: raw.traceState,
    name: raw.name,
    service: serviceOf(resource),
    kind: SPAN_KINDS[raw.kind] ?? 'unspecified',
    ...times(raw),
    status: SPAN_STATUSES[raw.statusCode] ?? 'unset',
    statusMessage: raw.statusMessage,
    attributes: raw.attributes,
    resource,
    scope,
    events: raw.events,
    links: raw.links.map(toLink),
  };
}

/** The reporting service; OpenTelemetry's stand-in name when the resource has none. */
function serviceOf(resource: Attributes): string {
  return textAttribute(resource, 'service.name') ?? 'unknown_service';
}

function parentOf(hex: string): Span['parentSpanId'] {
  // Some senders write eight zero bytes where there is no parent.
  if (hex === '' || /^0{16}$/.test(hex)) return null;
  return parseSpanId(hex) ?? refuse('parent span id is not 8 bytes');
}

function times({ start, end }: RawSpan): { start: EpochNanos; end: EpochNanos } {
  if (start <= 0n) refuse('start time is missing');
  if (end <= 0n) refuse('end time is missing');
  if (end < start) refuse('end time is before the start time');
  if (end - start > LONGEST) refuse('duration is over 104 days');
  if (end > LAST_TIME) refuse('time is beyond the year 2262');
  return { start, end };
}

function toLink(raw: RawLink): SpanLink {
  return {
    traceId: parseTraceId(raw.traceId) ?? refuse('trace id of a link is not 16 bytes, or all zero'),
    spanId: parseSpanId(raw.spanId) ?? refuse('span id of a link is not 8 bytes, or all zero'),
    traceState: raw.traceState,
    attributes: raw.attributes,
  };
}

function refuse(reason: string): never {
  throw new RefusedSpan(reason);
}

/** Collects what decoding a request yields; a refused span is counted by its reason. */
export class SpanCollector implements DecodedSpans {
  readonly spans: Span[] = [];
  readonly refused = new Map<string, number>();

  add(read: () => Span): void {
    try {
      this.spans.push(read());
    } catch (error) {
      if (!(error instanceof RefusedSpan)) throw error;
      this.refused.set(error.message, (this.refused.get(error.message) ?? 0) + 1);
    }
  }
}

/**
 * A text that every store can hold: the NUL character and lone halves of surrogate pairs, which neither a PostgreSQL text nor its
 * JSON takes, become U+FFFD.
 */
export function storable(text: string): string {
  const whole = text.isWellFormed() ? text : text.toWellFormed();
  return whole.includes('\0') ? whole.replaceAll('\0', '\uFFFD') : whole;
}

/** Sets an attribute as a property of the object's own, whatever the key is called; `__proto__` too. */
export function setAttribute(attributes: Record<string, AttributeValue>, key: string, value: AttributeValue): void {
  if (key === '__proto__')
    Object.defineProperty(attributes, key, { value, enumerable: true, configurable: true, writable: true });
  else attributes[key] = value;
}

/** An integer that a JS number does not hold exactly is kept as text. */
export function integer(value: bigint): number | string {
  const number = Number(value);
  return Number.isSafeInteger(number) ? number : value.toString();
}
