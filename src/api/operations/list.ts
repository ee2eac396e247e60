import { z } from 'zod';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { operationFigures } from '../../store/rollups/operationFigures.ts';
import { endpoint } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';
import { describeFigures, figuresAnswer } from './figures.ts';

export const operations = endpoint({
  path: '/api/operations',
  least: 'reader',
  summary: 'Every operation that was called in a window: how often, failures, durations. The most time in all first.',
  runs: 'analysis',
  query: z.strictObject({ from: isoTime, to: isoTime }),
  answer: z.object({
    operations: z.array(
      z.object({
        id: z.int(),
        service: z.string(),
        operation: z.string(),
        kind: z.enum(SPAN_KINDS),
        totalNs: z.number(),
        ...figuresAnswer,
      }),
    ),
  }),
  run: async ({ from, to }) => {
    const found = await operationFigures(from, to);
    return {
      operations: found
        .map((it) => ({
          id: it.operationId,
          service: it.service,
          operation: it.name,
          kind: SPAN_KINDS[it.kind],
          totalNs: it.okNs + it.failedNs,
          ...describeFigures(it),
        }))
        .sort((a, b) => b.totalNs - a.totalNs),
    };
  },
});
