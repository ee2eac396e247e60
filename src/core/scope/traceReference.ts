import { parseSpanId, parseTraceId, type SpanId, type TraceId } from '../trace/span.ts';

export interface TraceReference {
  readonly traceId: TraceId;
  readonly spanId?: SpanId;
}

/**
 * Finds a trace in what somebody pasted: a trace id, or W3C `traceparent` and `traceresponse` headers
 * (`00-TRACEID-SPANID-01`), with or without the header's name and anything around it.
 */
export function readTraceReference(text: string): TraceReference | undefined {
  const header = /\b[0-9a-f]{2}-([0-9a-f]{32})-([0-9a-f]{16})-[0-9a-f]{2}\b/i.exec(text);
  const traceId = parseTraceId(header?.[1] ?? /(?<![0-9a-f])[0-9a-f]{32}(?![0-9a-f])/i.exec(text)?.[0] ?? '');
  if (!traceId) return undefined;
  const spanId = header ? parseSpanId(header[2]) : undefined;
  return spanId ? { traceId, spanId } : { traceId };
}
