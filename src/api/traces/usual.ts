import { z } from 'zod';
import { quantiles } from '../../core/measures/sketch.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { figuresOfTrace } from '../../store/rollups/usualDurations.ts';
import { windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime, traceIdText } from '../parameters.ts';

export type UsualDurations = z.output<typeof usual.answer>;

export const usual = endpoint({
  path: '/api/traces/{traceId}/usual',
  least: 'reader',
  summary: 'How long the operations of a trace usually took in a window: each span has its place among its like by them.',
  runs: 'analysis',
  query: z.strictObject({
    traceId: traceIdText,
    from: isoTime,
    to: isoTime,
    before: z.string().optional().meta({
      description: 'What is usual in the window that the lit one is held against, named as elsewhere, instead of in the lit one.',
    }),
  }),
  answer: z.object({
    operations: z.array(
      z.object({
        service: z.string(),
        operation: z.string(),
        kind: z.enum(SPAN_KINDS),
        calls: z.int(),
        failures: z.int(),
        p50Ns: z.number().nullable(),
        p95Ns: z.number().nullable(),
        p99Ns: z.number().nullable(),
        zero: z.int(),
        buckets: z.array(z.tuple([z.int(), z.int()])).meta({
          description: 'Bucket and count: bucket i holds durations over 2^(i/16) up to 2^((i+1)/16) nanoseconds.',
        }),
      }),
    ),
  }),
  run: async ({ traceId, from, to, before }) => {
    const window = before === undefined ? { from, to } : (await windowsOf({ from, to, before })).before;
    const found = await figuresOfTrace(traceId, window.from, window.to);
    if (!found) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
    return {
      operations: found.map(({ service, name, kind, calls, failures, sketch }) => {
        const [p50Ns, p95Ns, p99Ns] = quantiles(sketch, [0.5, 0.95, 0.99]);
        return {
          service,
          operation: name,
          kind: SPAN_KINDS[kind],
          calls,
          failures,
          p50Ns,
          p95Ns,
          p99Ns,
          zero: sketch.zero,
          buckets: [...sketch.buckets].sort(([a], [b]) => a - b),
        };
      }),
    };
  },
});
