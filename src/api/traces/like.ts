import { z } from 'zod';
import { amongLike } from '../../store/traces/likeTraces.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime, traceIdText } from '../parameters.ts';

export type LikeTraces = z.output<typeof like.answer>;

export const like = endpoint({
  path: '/api/traces/{traceId}/like',
  least: 'reader',
  summary: "How a trace's duration stands among others of the same entry operation in a window.",
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText, from: isoTime, to: isoTime }),
  answer: z.object({
    count: z.int(),
    faster: z.int(),
    p50Ns: z.number().nullable(),
    durations: z.array(z.object({ step: z.int(), count: z.int() })),
  }),
  run: async ({ traceId, from, to }) => {
    const found = await amongLike(traceId, from, to);
    if (!found) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
    return { ...found, durations: [...found.durations] };
  },
});
