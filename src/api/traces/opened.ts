import { z } from 'zod';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { eachRecord, openRequest } from '../../formats/otlp/span/decodeTraces.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { analyseSpans } from './analysis.ts';
import { describeTimeline, timelineAnswer } from './describeTimeline.ts';
import { describeSpan, spanDetails } from './span.ts';

export type OpenedTraces = z.output<typeof opened.answer>;

const MOST_TRACES = 50;

/** Bytes of a file. */
const LONGEST_FILE = 32 * 1024 * 1024;
/** Spans of it: each takes some kilobytes as it is shown. */
const MOST_SPANS = 20_000;

export const opened = endpoint({
  method: 'POST',
  path: '/api/traces/opened',
  least: 'reader',
  summary: 'The traces of a file of OTLP JSON or JSON lines, worked out without being stored.',
  runs: 'analysis',
  longestBody: LONGEST_FILE,
  query: z.strictObject({ text: z.string() }),
  answer: z.object({
    traces: z.array(z.object({ timeline: timelineAnswer, spans: z.array(spanDetails) })),
    total: z.int(),
    refused: z.int().meta({ description: 'Spans that could not be read.' }),
  }),
  run: async ({ text }) => {
    const refusals = new Refusals();
    const byTrace = new Map<TraceId, Span[]>();
    for (const part of partsOf(text))
      for (const span of spansIn(part, refusals)) {
        const spans = byTrace.get(span.traceId);
        if (spans) spans.push(span);
        else byTrace.set(span.traceId, [span]);
      }
    const count = [...byTrace.values()].reduce((sum, spans) => sum + spans.length, 0);
    if (count > MOST_SPANS)
      throw new ApiError(
        400,
        `There are ${count} spans in this file, ${MOST_SPANS} are shown without being stored. Import it to look at all: ./dusk import FILE`,
      );
    if (byTrace.size === 0) throw new ApiError(400, 'There is no span in this file. OTLP JSON of traces is expected.');
    const largest = [...byTrace].sort(([, a], [, b]) => b.length - a.length);
    const shown = largest.slice(0, MOST_TRACES);
    return {
      total: byTrace.size,
      refused: refusals.count,
      traces: shown.map(([traceId, spans]) => ({
        timeline: describeTimeline(analyseSpans(spans)!, traceId),
        spans: spans.map(describeSpan),
      })),
    };
  },
});

function spansIn(text: string, refusals: Refusals): Span[] {
  try {
    const request = openRequest(new TextEncoder().encode(text), 'application/json', 'traces', refusals);
    return eachRecord(request.groups, refusals, (record, { resource, scope }) => readSpan(record, resource, scope));
  } catch (error) {
    throw new ApiError(400, `This is no OTLP JSON of traces: ${(error as Error).message}`);
  }
}

/** The whole as one request, or each line when there are several. */
function partsOf(text: string): string[] {
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  const isLines = lines.length > 1 && lines.every((line) => line.startsWith('{') && line.trimEnd().endsWith('}'));
  return isLines ? lines : [text];
}
