import { type AttributeValue, SPAN_KINDS, SPAN_STATUSES, type Span } from '../../../src/core/trace/span.ts';
import type { OtlpTraces } from '../recount.ts';

/** Spans as the body of an OTLP/JSON request, written by hand so that nothing is shared with the application's own encoder. */
export function toOtlpJson(spans: readonly Span[]): OtlpTraces {
  return {
    resourceSpans: spans.map((span) => ({
      resource: { attributes: pairs(span.resource) },
      scopeSpans: [
        {
          scope: { name: span.scope.name, version: span.scope.version },
          spans: [
            {
              traceId: span.traceId,
              spanId: span.spanId,
              ...(span.parentSpanId ? { parentSpanId: span.parentSpanId } : {}),
              name: span.name,
              kind: SPAN_KINDS.indexOf(span.kind),
              startTimeUnixNano: String(span.start),
              endTimeUnixNano: String(span.end),
              attributes: pairs(span.attributes),
              events: span.events.map(({ time, name, attributes: own }) => ({
                timeUnixNano: String(time),
                name,
                attributes: pairs(own),
              })),
              status: { code: SPAN_STATUSES.indexOf(span.status), message: span.statusMessage },
            },
          ],
        },
      ],
    })),
  };
}

function pairs(attributes: { readonly [key: string]: AttributeValue }) {
  return Object.entries(attributes).map(([key, value]) => ({ key, value: wrap(value) }));
}

function wrap(value: AttributeValue): object {
  if (value === null) return {};
  if (typeof value === 'number') return Number.isInteger(value) ? { intValue: String(value) } : { doubleValue: value };
  if (typeof value === 'boolean') return { boolValue: value };
  return Array.isArray(value) ? { arrayValue: { values: value.map(wrap) } } : { stringValue: String(value) };
}
