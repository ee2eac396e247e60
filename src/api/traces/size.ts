import { z } from 'zod';
import { traceSize } from '../../store/traces/traceSize.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';

export const size = endpoint({
  path: '/api/traces/{traceId}/size',
  least: 'reader',
  summary: 'How large a trace is, without reading it.',
  query: z.strictObject({ traceId: traceIdText }),
  answer: z.object({ spans: z.int().meta({ description: 'Spans that are stored of it; 0 when there is no such trace.' }) }),
  run: async ({ traceId }) => ({ spans: await traceSize(traceId) }),
});
