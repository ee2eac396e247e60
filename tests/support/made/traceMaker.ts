import { type Attributes, parseSpanId, parseTraceId, type Span, type SpanKind } from '../../../src/core/trace/span.ts';

export const TRACE_ID = parseTraceId('0af7651916cd43dd8448eb211c80319c')!;
/** Where made-up traces begin, epoch nanoseconds. */
export const EPOCH = 1_777_730_520_000_000_000n;

/** A span in few words: times in nanoseconds from the trace's start. */
export interface Sketch {
  readonly id: number;
  readonly parent?: number;
  readonly from: number;
  readonly to: number;
  readonly name?: string;
  readonly service?: string;
  readonly kind?: SpanKind;
  readonly host?: string;
  readonly failed?: boolean;
  readonly attributes?: Attributes;
}

export function idOf(id: number) {
  return parseSpanId((id + 1).toString(16).padStart(16, '0'))!;
}

export function makeSpan(sketch: Sketch): Span {
  const {
    id,
    parent,
    from,
    to,
    name = `work ${id}`,
    service = 'holds',
    kind = 'internal',
    host,
    failed,
    attributes = {},
  } = sketch;
  return {
    traceId: TRACE_ID,
    spanId: idOf(id),
    parentSpanId: parent === undefined ? null : idOf(parent),
    traceState: '',
    name,
    service,
    kind,
    start: EPOCH + BigInt(from),
    end: EPOCH + BigInt(to),
    status: failed ? 'error' : 'unset',
    statusMessage: '',
    attributes,
    resource: { 'service.name': service, ...(host ? { 'host.name': host } : {}) },
    scope: { name: 'test', version: '1' },
    events: [],
    links: [],
  };
}

export function makeSpans(...sketches: readonly Sketch[]): Span[] {
  return sketches.map(makeSpan);
}
