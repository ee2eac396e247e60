import { parseTraceId } from '../../core/trace/span.ts';
import { traceSize } from '../../store/traceSize.ts';
import { ask } from '../endpoint.ts';
import type { TraceTimeline } from './describeTimeline.ts';
import { beginTimeline, timeline } from './timeline.ts';

/** A larger trace is left to the browser to ask for, and begun with meanwhile: embedded in its page it would have to be read twice. */
const MOST_EMBEDDED = 2000;

/**
 * The timeline to put into a trace's page; undefined when it is too large for that.
 *
 * @throws ApiError when there is no such trace
 */
export async function firstTimeline(traceId: string): Promise<TraceTimeline | undefined> {
  const id = parseTraceId(traceId);
  const isLarge = id !== undefined && (await traceSize(id)) > MOST_EMBEDDED;
  if (!isLarge) return ask(timeline, { traceId });
  beginTimeline(id);
  return undefined;
}
