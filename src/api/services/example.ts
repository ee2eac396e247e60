import { z } from 'zod';
import { condition } from '../../core/scope/condition.ts';
import type { Span } from '../../core/trace/span.ts';
import { durationExemplars } from '../../store/rollups/durationExemplars.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import { isNarrowed } from '../../store/scope/traceFilter.ts';
import { traceSize } from '../../store/traces/traceSize.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';

export type ServiceExample = z.output<typeof exampleAnswer>;

/** Of more traces a sample is looked through. */
const MOST_TRACES = 300;
/** An exemplar is taken when it is as near as this, as a ratio; the sketch that a percentile comes from is no nearer itself. */
const NEAR = 1.05;

const exampleAnswer = z.object({
  traceId: z.string(),
  spanId: z.string(),
  durationNs: z.number(),
  by: z.enum(['exemplar', 'span']).meta({ description: 'exemplar: the service itself named it with its durations.' }),
});

export const serviceExample = endpoint({
  path: '/api/services/{name}/example',
  least: 'reader',
  summary: 'A request that a service handled in about so long: the example behind a point of its charts.',
  runs: 'analysis',
  query: z.strictObject({
    ...filterParameters,
    name: z.string(),
    durationNs: z.coerce.number({ error: 'a number of nanoseconds over 0 is expected' }).positive().max(Number.MAX_SAFE_INTEGER),
  }),
  answer: exampleAnswer,
  run: async ({ name, durationNs, ...query }): Promise<ServiceExample> => {
    const filter = traceFilter(query);
    const off = (ns: number) => Math.abs(Math.log(Math.max(ns, 1) / durationNs));
    // Exemplars say nothing of what conditions ask for.
    if (!isNarrowed(filter) && filter.from !== undefined && filter.to !== undefined) {
      const sent = await durationExemplars(name, filter.from, filter.to);
      const near = sent.filter(({ value }) => off(value) <= Math.log(NEAR)).sort((a, b) => off(a.value) - off(b.value));
      for (const { traceId, spanId, value } of near)
        if ((await traceSize(traceId as Span['traceId'])) > 0) return { traceId, spanId, durationNs: value, by: 'exemplar' };
    }
    const handled = { ...filter, where: [...(filter.where ?? []), condition('service', 'is', name)] };
    const { traces } = await sampleTraces(handled, MOST_TRACES, 'stratified');
    const took = (span: Span) => Number(span.end - span.start);
    let best: Span | undefined;
    for (const span of traces.flatMap(({ spans }) => spans)) {
      if (span.service !== name || !isEntered(span)) continue;
      if (!best || off(took(span)) < off(took(best))) best = span;
    }
    if (!best) throw new ApiError(404, `No request that ${name} handled is kept of this time.`);
    return { traceId: best.traceId, spanId: best.spanId, durationNs: took(best), by: 'span' };
  },
});

/** Whether with this span a service begins to work for somebody. */
function isEntered({ kind, parentSpanId }: Span): boolean {
  return kind === 'server' || kind === 'consumer' || parentSpanId === null;
}
