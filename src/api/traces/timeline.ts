import { z } from 'zod';
import type { TraceId } from '../../core/trace/span.ts';
import { traceSize } from '../../store/traces/traceSize.ts';
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
  run: async ({ traceId, joined }) =>
    joined ? describeTimeline(await analyseFlow(traceId), traceId) : timelineOf(traceId, await traceSize(traceId)),
});

/** Of fewer spans a trace is worked out anew each time it is asked for. */
export const LARGE = 2000;
/** Each may be of a hundred thousand spans. */
const MOST_REMEMBERED = 2;
/** What a database saw of a trace may come after its spans: it is told anew after this. */
const REMEMBERED_MS = 5 * 60_000;

const remembered = new Map<TraceId, { readonly size: number; readonly at: number; readonly timeline: Promise<TraceTimeline> }>();

/**
 * The timeline of a trace. Large ones are remembered as long as no span comes to them: whoever goes back to one, or asks while it is being
 * worked out for the page, does not wait for it again.
 *
 * @param size how many spans are kept of it
 */
export function timelineOf(traceId: TraceId, size: number): Promise<TraceTimeline> {
  const known = remembered.get(traceId);
  if (known?.size === size && Date.now() - known.at < REMEMBERED_MS) return known.timeline;
  const begun = analyseTrace(traceId).then((it) => describeTimeline(it, traceId));
  if (size < LARGE) return begun;
  remembered.delete(traceId);
  remembered.set(traceId, { size, at: Date.now(), timeline: begun });
  for (const oldest of remembered.keys()) {
    if (remembered.size <= MOST_REMEMBERED) break;
    remembered.delete(oldest);
  }
  begun.catch(() => remembered.delete(traceId));
  return begun;
}
