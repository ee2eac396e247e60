import { z } from 'zod';
import { runningOfTrace } from '../../store/profiles/running.ts';
import { traceSize } from '../../store/traces/traceSize.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText, yesNo } from '../parameters.ts';
import { analyseFlow, analyseTrace } from './analysis.ts';
import { describeTimeline, type TraceTimeline, timelineAnswer } from './describeTimeline.ts';

export type { TraceTimeline };

/** Of fewer spans a trace is worked out anew each time it is asked for. */
export const LARGE = 2000;
/** What a database saw of a trace may come after its spans: it is told anew after this. */
const REMEMBERED_MS = 5 * 60_000;

export const timeline = endpoint({
  path: '/api/traces/{traceId}/timeline',
  least: 'reader',
  summary: 'One trace as it is drawn: without attributes, in columns, so that very large traces open fast.',
  runs: 'analysis',
  query: z.strictObject({
    traceId: traceIdText,
    joined: yesNo.optional().meta({ description: 'true: with the traces that messages join it to, as one tree.' }),
  }),
  answer: timelineAnswer,
  // Whoever goes back to a large one, or asks while it is being worked out for the page, does not wait for it again.
  remember: async ({ traceId, joined }) => {
    const size = joined ? 0 : await traceSize(traceId);
    return size < LARGE ? undefined : { key: `${traceId} ${size}`, ms: REMEMBERED_MS };
  },
  run: async ({ traceId, joined }) => {
    const [analysis, running] = await Promise.all([
      joined ? analyseFlow(traceId) : analyseTrace(traceId),
      runningOfTrace(traceId),
    ]);
    return describeTimeline(analysis, traceId, running);
  },
});
