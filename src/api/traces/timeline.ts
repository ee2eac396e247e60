import { z } from 'zod';
import { endpoint } from '../endpoint.ts';
import { traceIdText, yesNo } from '../parameters.ts';
import { analyseFlow, analyseTrace } from './analysis.ts';
import { describeTimeline, timelineAnswer } from './describeTimeline.ts';

export type { TraceTimeline } from './describeTimeline.ts';

export const timeline = endpoint({
  path: '/api/traces/{traceId}/timeline',
  summary: 'One trace as it is drawn: without attributes, in columns, so that very large traces open fast.',
  query: z.strictObject({
    traceId: traceIdText,
    joined: yesNo.optional().meta({ description: 'true: with the traces that messages join it to, as one tree.' }),
  }),
  answer: timelineAnswer,
  run: async ({ traceId, joined }) => describeTimeline(await (joined ? analyseFlow(traceId) : analyseTrace(traceId)), traceId),
});
