import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { analysisLoad } from '../../analysis/pool.ts';
import { intakeState } from '../../intake/process/acceptElsewhere.ts';
import { drawingState } from '../../server/drawing/drawing.ts';
import { freeDisk } from '../../server/freeDisk.ts';
import { loopDelay } from '../../server/life/eventLoop.ts';
import { restartsSoFar } from '../../server/life/restarts.ts';
import { connections } from '../../store/database/connection.ts';
import { endpoint } from '../endpoint.ts';

/** A database that has not answered after this is away. */
const PATIENCE_MS = 2_000;
/** Less room than this is too little to go on keeping what comes. */
const LEAST_FREE_BYTES = 512 * 2 ** 20;

export const live = endpoint({
  path: '/api/health/live',
  least: 'anyone',
  summary: 'Whether the process that answers is alive: 200 when it is, and nothing else is looked at.',
  query: z.strictObject({}),
  answer: z.object({ status: z.literal('ok') }),
  run: async () => ({ status: 'ok' as const }),
});

const part = z.enum(['up', 'down']);

export const ready = endpoint({
  path: '/api/health/ready',
  least: 'anyone',
  summary: 'Whether everything works that pages and senders need: 200, or 503 with what does not.',
  query: z.strictObject({}),
  answer: z.object({
    status: z.enum(['ok', 'not ready']),
    store: part,
    intake: part.meta({ description: 'The process that reads what is sent.' }),
    pages: part.meta({ description: 'The process that draws pages.' }),
    analysis: part.meta({ description: 'The processes that work out what pages ask for.' }),
    analysisWaiting: z.int().meta({ description: 'Questions that wait for one of them.' }),
    analysisAsked: z.int().meta({ description: 'Questions of people that they work on or that wait for them.' }),
    disk: z.object({ status: z.enum(['ok', 'full']), freeBytes: z.number().nullable() }),
    eventLoop: z.object({ p99Ms: z.number(), maxMs: z.number() }).nullable(),
    restarts: z
      .object({ application: z.int(), database: z.int(), intake: z.int(), pages: z.int() })
      .meta({ description: 'How often each had to be started again since the start command began.' }),
  }),
  status: ({ status }) => (status === 'ok' ? 200 : 503),
  run: async () => {
    const [isStoreUp, freeBytes] = await Promise.all([storeAnswers(), freeDisk()]);
    const intake = intakeState();
    const drawing = drawingState();
    const { processes, waiting, asked } = analysisLoad();
    const isFull = freeBytes !== null && freeBytes < LEAST_FREE_BYTES;
    const isReady = isStoreUp && intake.isUp && drawing.isUp && processes > 0 && !isFull;
    return {
      status: isReady ? ('ok' as const) : ('not ready' as const),
      store: isStoreUp ? ('up' as const) : ('down' as const),
      intake: intake.isUp ? ('up' as const) : ('down' as const),
      pages: drawing.isUp ? ('up' as const) : ('down' as const),
      analysis: processes > 0 ? ('up' as const) : ('down' as const),
      analysisWaiting: waiting,
      analysisAsked: asked,
      disk: { status: isFull ? ('full' as const) : ('ok' as const), freeBytes },
      eventLoop: loopDelay(),
      restarts: { ...restartsSoFar(), intake: intake.restarts, pages: drawing.restarts },
    };
  },
});

async function storeAnswers(): Promise<boolean> {
  const asked = connections()
    .query('SELECT 1')
    .then(
      () => true,
      () => false,
    );
  return Promise.race([asked, sleep(PATIENCE_MS, false, { ref: false })]);
}
