import { z } from 'zod';
import type { TraceId } from '../../core/trace/span.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText, yesNo } from '../parameters.ts';
import { analyseFlow, analyseTrace } from './analysis.ts';
import { describeTimeline, type TraceTimeline, timelineAnswer } from './describeTimeline.ts';

export type { TraceTimeline };

export const timeline = endpoint({
  path: '/api/traces/{traceId}/timeline',
  summary: 'One trace as it is drawn: without attributes, in columns, so that very large traces open fast.',
  query: z.strictObject({
    traceId: traceIdText,
    joined: yesNo.optional().meta({ description: 'true: with the traces that messages join it to, as one tree.' }),
  }),
  answer: timelineAnswer,
  run: async ({ traceId, joined }) => {
    const begun = joined ? undefined : begunTimelines.get(traceId);
    begunTimelines.delete(traceId);
    return begun ?? describeTimeline(await (joined ? analyseFlow(traceId) : analyseTrace(traceId)), traceId);
  },
});

/** A page asks for what was begun for it within this time, or never. */
const ASKED_WITHIN_MS = 10_000;
/** Begun for so many pages at once, at most: each may be of a hundred thousand spans. */
const MOST_BEGUN = 2;

const begunTimelines = new Map<string, Promise<TraceTimeline>>();

/** Begins to work out a large trace that a page is about to ask for. */
export function beginTimeline(traceId: TraceId): void {
  if (begunTimelines.has(traceId) || begunTimelines.size >= MOST_BEGUN) return;
  const begun = analyseTrace(traceId).then((it) => describeTimeline(it, traceId));
  begunTimelines.set(traceId, begun);
  // Who asks is told of what goes wrong; nobody may ask.
  begun.catch(() => {});
  setTimeout(() => {
    if (begunTimelines.get(traceId) === begun) begunTimelines.delete(traceId);
  }, ASKED_WITHIN_MS).unref();
}
