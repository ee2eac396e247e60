import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import type { Attributes, SpanEvent, SpanLink } from '../../core/trace/span.ts';
import { SPAN_KINDS, SPAN_STATUSES } from '../../core/trace/span.ts';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { analyseTrace, describeProblems } from './analysis.ts';

export const attributes = z.custom<Attributes>().meta({ type: 'object', additionalProperties: true });

export const eventAnswer = z.object({ name: z.string(), startNs: z.int(), attributes });
export const linkAnswer = z.object({ traceId: z.string(), spanId: z.string(), attributes });
export const failureAnswer = z
  .object({ role: z.enum(['origin', 'passes-on']), party: z.string() })
  .nullable()
  .meta({ description: 'The part of a failing span: the failure starts here (at place), or is passed on.' });
export const ledgerAnswer = z.array(
  z.object({ party: z.string(), kind: z.enum(TIME_KINDS), durationNs: z.int(), share: z.number() }),
);
export const problemAnswer = z.array(z.object({ type: z.string(), spanId: z.string(), message: z.string() }));

const spanAnswer = z.object({
  spanId: z.string(),
  parentSpanId: z.string().nullable(),
  service: z.string(),
  operation: z.string(),
  kind: z.enum(SPAN_KINDS),
  startNs: z.int().meta({ description: "From the trace's start; corrected by shiftNs where the clock was off." }),
  durationNs: z.int(),
  selfNs: z.int(),
  shiftNs: z.int().meta({ description: 'What was added to the time as sent.' }),
  status: z.enum(SPAN_STATUSES),
  statusMessage: z.string(),
  attributes,
  resource: attributes,
  scope: z.object({ name: z.string(), version: z.string() }),
  events: z.array(eventAnswer),
  links: z.array(linkAnswer),
  origin: failureAnswer,
});

export const one = endpoint({
  path: '/api/traces/{traceId}',
  least: 'reader',
  summary: 'One trace: its spans as a tree, depth first, its critical path, and where its time went.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText }),
  answer: z.object({
    traceId: z.string(),
    start: z.string().meta({ description: 'The earliest start as sent, ISO 8601 with nine decimals.' }),
    durationNs: z.int().meta({ description: "The earliest root's duration: what critical path and ledger sum to." }),
    spans: z.array(spanAnswer),
    criticalPath: z.array(z.object({ spanId: z.string(), startNs: z.int(), endNs: z.int() })),
    ledger: ledgerAnswer,
    problems: problemAnswer,
  }),
  run: async ({ traceId }) => {
    const { trace, durationNs, selfNs, roles, path, ledger } = await analyseTrace(traceId);
    return {
      traceId,
      start: formatIso(trace.start),
      durationNs,
      spans: trace.nodes.map(({ span, start, end, shift }, index) => ({
        spanId: span.spanId,
        parentSpanId: span.parentSpanId,
        service: span.service,
        operation: span.name,
        kind: span.kind,
        startNs: start,
        durationNs: end - start,
        selfNs: selfNs[index],
        shiftNs: shift,
        status: span.status,
        statusMessage: span.statusMessage,
        attributes: span.attributes,
        resource: span.resource,
        scope: span.scope,
        events: span.events.map((event) => describeEvent(event, trace.start, shift)),
        links: span.links.map(describeLink),
        origin: roles[index],
      })),
      criticalPath: path.map(({ node, start, end }) => ({ spanId: trace.nodes[node].span.spanId, startNs: start, endNs: end })),
      ledger: ledger.map(({ nodes: _, ...line }) => line),
      problems: describeProblems(trace),
    };
  },
});

/** An event with its time counted from the trace's start, moved with its span's clock. */
export function describeEvent(event: SpanEvent, traceStart: bigint, shift: number): z.input<typeof eventAnswer> {
  return { name: event.name, startNs: Number(event.time - traceStart) + shift, attributes: event.attributes };
}

export function describeLink({ traceId, spanId, attributes }: SpanLink): z.input<typeof linkAnswer> {
  return { traceId, spanId, attributes };
}
