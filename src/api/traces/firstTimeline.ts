import { parseTraceId } from '../../core/trace/span.ts';
import { traceSize } from '../../store/traces/traceSize.ts';
import { ask, type Endpoint, prepare } from '../endpoint.ts';
import type { TraceTimeline } from './describeTimeline.ts';
import { LARGE, timeline } from './timeline.ts';

/**
 * The timeline to put into a trace's page; undefined when it is too large for that: embedded in its page it would have to be read twice.
 * The browser asks for it, and meanwhile it is begun with.
 *
 * @throws ApiError when there is no such trace
 */
export async function firstTimeline(traceId: string): Promise<TraceTimeline | undefined> {
  const id = parseTraceId(traceId);
  const size = id === undefined ? 0 : await traceSize(id);
  if (id === undefined || size < LARGE) return ask(timeline, { traceId });
  prepare(timeline as unknown as Endpoint, { traceId });
  return undefined;
}
