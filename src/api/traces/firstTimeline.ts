import { ask, type Endpoint, prepare } from '../endpoint.ts';
import type { TraceTimeline } from './describeTimeline.ts';
import { size } from './size.ts';
import { LARGE, timeline } from './timeline.ts';

/**
 * The timeline to put into a trace's page; undefined when it is too large for that: embedded in its page it would have to be read twice.
 * The browser asks for it, and meanwhile it is begun with.
 *
 * @throws ApiError when there is no such trace
 */
export async function firstTimeline(traceId: string): Promise<TraceTimeline | undefined> {
  const { spans } = await ask(size, { traceId });
  if (spans < LARGE) return ask(timeline, { traceId });
  prepare(timeline as unknown as Endpoint, { traceId });
  return undefined;
}
