import { analysisLoad } from '../../analysis/pool.ts';
import { OPEN_METRICS_TYPE, type OwnMetric, writeOpenMetrics } from '../../formats/openMetrics.ts';
import { intakeState } from '../../intake/process/acceptElsewhere.ts';
import { drawingState } from '../../server/drawing/drawing.ts';
import { loopDelay } from '../../server/life/eventLoop.ts';
import { restartsSoFar } from '../../server/life/restarts.ts';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';
import { heldNow, refusedSoFar } from '../otlp/receive.ts';

/** What the application says of itself, to be scraped. */
export function metrics({ url }: Asked): Response {
  const [unknown] = url.searchParams.keys();
  if (unknown !== undefined)
    return errorAnswer(
      new ApiError(400, `${JSON.stringify(unknown.slice(0, 80))} is not asked for here: there are no parameters`),
    );
  return new Response(writeOpenMetrics(ownMetrics()), {
    headers: { 'content-type': OPEN_METRICS_TYPE, 'cache-control': 'no-store' },
  });
}

export const METRICS = {
  summary: 'What the application says of itself, in the OpenMetrics text format.',
  responses: { 200: { description: 'The figures.', content: { [OPEN_METRICS_TYPE]: { schema: { type: 'string' } } } } },
};

/** What the application says of itself, as it is now. */
export function ownMetrics(): OwnMetric[] {
  const { heapUsed, rss } = process.memoryUsage();
  const delay = loopDelay();
  const load = analysisLoad();
  const held = heldNow();
  const { application, database } = restartsSoFar();
  const one = (value: number, labels: Record<string, string> = {}) => [{ labels, value }];
  return [
    { name: 'dusk_heap', help: 'Heap in use by the process that answers.', type: 'gauge', unit: 'bytes', values: one(heapUsed) },
    { name: 'dusk_resident', help: 'Memory of the process that answers.', type: 'gauge', unit: 'bytes', values: one(rss) },
    {
      name: 'dusk_event_loop_delay',
      help: 'How long the process that answers was blocked, over the last whole minute.',
      type: 'gauge',
      unit: 'seconds',
      values: delay ? [...one(delay.p99Ms / 1000, { quantile: '0.99' }), ...one(delay.maxMs / 1000, { quantile: '1' })] : [],
    },
    {
      name: 'dusk_questions',
      help: 'Questions of pages and programs that are worked on, and that wait.',
      type: 'gauge',
      unit: '',
      values: [...one(load.working, { state: 'working' }), ...one(load.waiting, { state: 'waiting' })],
    },
    { name: 'dusk_intake_requests', help: 'Requests that the door holds.', type: 'gauge', unit: '', values: one(held.requests) },
    { name: 'dusk_intake_held', help: 'Bytes that the door holds.', type: 'gauge', unit: 'bytes', values: one(held.bytes) },
    {
      name: 'dusk_intake_refused',
      help: 'Requests that were not taken, by the status of the answer.',
      type: 'counter',
      unit: '',
      values: [...refusedSoFar()].map(([status, value]) => ({ labels: { status: String(status) }, value })),
    },
    {
      name: 'dusk_restarts',
      help: 'How often a part had to be started again.',
      type: 'counter',
      unit: '',
      values: [
        ...one(application, { part: 'application' }),
        ...one(database, { part: 'database' }),
        ...one(intakeState().restarts, { part: 'intake' }),
        ...one(drawingState().restarts, { part: 'pages' }),
      ],
    },
  ];
}
