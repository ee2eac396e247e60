import { z } from 'zod';
import { assemble } from '../../core/trace/assemble.ts';
import { parseTraceId, type TraceId } from '../../core/trace/span.ts';
import { criticalPath } from '../../core/trace/time/criticalPath.ts';
import { spansOf } from '../../store/blocks/readTrace.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type TraceStripes = z.output<typeof stripes.answer>;

const MOST = 60;
/** Spans beyond these are too many to read for a stripe in a row. */
const MOST_SPANS = 3000;

export const stripes = endpoint({
  path: '/api/traces/stripes',
  least: 'reader',
  summary: 'For each of some traces, how much of its critical path each service has: the stripe of its row in a list.',
  runs: 'analysis',
  query: z.strictObject({ ids: z.string().meta({ description: `Trace ids, with commas between them, ${MOST} at most.` }) }),
  answer: z.object({
    stripes: z.array(z.object({ traceId: z.string(), parts: z.array(z.object({ service: z.string(), share: z.number() })) })),
  }),
  run: async ({ ids }) => {
    const parsed = ids.split(',').map(parseTraceId);
    if (parsed.includes(undefined) || parsed.length > MOST) throw new ApiError(400, `ids: up to ${MOST} trace ids are expected`);
    const traces = await spansOf(parsed as TraceId[], MOST_SPANS);
    return {
      stripes: [...traces].flatMap(([traceId, spans]) => {
        const trace = assemble(spans);
        if (!trace) return [];
        const byService = new Map<string, number>();
        let total = 0;
        for (const { node, start, end } of criticalPath(trace)) {
          const { service } = trace.nodes[node].span;
          byService.set(service, (byService.get(service) ?? 0) + end - start);
          total += end - start;
        }
        const parts = [...byService].map(([service, ns]) => ({ service, share: total === 0 ? 0 : ns / total }));
        return [{ traceId, parts: parts.sort((a, b) => b.share - a.share) }];
      }),
    };
  },
});
