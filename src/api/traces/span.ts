import { z } from 'zod';
import { environmentOf } from '../../core/accounts/environment.ts';
import { formatIso } from '../../core/time/iso.ts';
import { SPAN_KINDS, SPAN_STATUSES, type Span } from '../../core/trace/span.ts';
import { readSpans } from '../../store/blocks/readTrace.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { spanIdText, traceIdText } from '../parameters.ts';
import { attributes, describeEvent, describeLink, eventAnswer, linkAnswer } from './one.ts';

/** All that was sent about a span. */
export const spanDetails = z.object({
  traceId: z.string(),
  spanId: z.string(),
  parentSpanId: z.string().nullable(),
  service: z.string(),
  operation: z.string(),
  kind: z.enum(SPAN_KINDS),
  start: z.string(),
  end: z.string(),
  status: z.enum(SPAN_STATUSES),
  statusMessage: z.string(),
  traceState: z.string(),
  attributes,
  resource: attributes,
  scope: z.object({ name: z.string(), version: z.string() }),
  events: z.array(eventAnswer).meta({ description: "Their startNs counts from the span's start." }),
  links: z.array(linkAnswer),
});

export type SpanDetails = z.output<typeof spanDetails>;

export const oneSpan = endpoint({
  path: '/api/traces/{traceId}/spans/{spanId}',
  least: 'reader',
  summary: 'All that was sent about one span.',
  query: z.strictObject({ traceId: traceIdText, spanId: spanIdText }),
  answer: spanDetails,
  raw: { what: 'a span', of: ({ resource }) => [environmentOf(resource)] },
  run: async ({ traceId, spanId }) => {
    const [span] = await readSpans(traceId, spanId);
    if (!span) throw new ApiError(404, `Span ${spanId} of trace ${traceId} is not kept.`);
    return describeSpan(span);
  },
});

export function describeSpan({ name, start, end, events, links, ...rest }: Span): SpanDetails {
  return {
    ...rest,
    operation: name,
    start: formatIso(start),
    end: formatIso(end),
    events: events.map((event) => describeEvent(event, start, 0)),
    links: links.map(describeLink),
  };
}
