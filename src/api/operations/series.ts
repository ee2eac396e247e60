import { z } from 'zod';
import { MOST_POINTS } from '../../core/scope/windowLimit.ts';
import { figuresOverTime } from '../../store/rollups/operationFigures.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime, wholeNumber } from '../parameters.ts';
import { describeSums, figuresAnswer, SHARES } from './figures.ts';

export const operationSeries = endpoint({
  path: '/api/operations/{id}/series',
  least: 'reader',
  summary: 'One operation over time, in stretches of whole minutes; those without a call left out.',
  runs: 'analysis',
  query: z.strictObject({ id: wholeNumber(1, 2 ** 31 - 1, 1), from: isoTime, to: isoTime, stepMinutes: wholeNumber(1, 1440, 1) }),
  answer: z.object({ stepMs: z.int(), buckets: z.array(z.object({ at: z.number(), ...figuresAnswer })) }),
  run: async ({ id, from, to, stepMinutes }) => {
    const points = Number((to - from) / 60_000_000_000n) / stepMinutes;
    if (points > MOST_POINTS)
      throw new ApiError(
        400,
        `stepMinutes: makes ${Math.ceil(points)} points of this window, ${MOST_POINTS} at most; take longer steps`,
      );
    const found = await figuresOverTime(id, from, to, stepMinutes, SHARES);
    return { stepMs: stepMinutes * 60_000, buckets: found.map((it) => ({ at: it.at, ...describeSums(it, it.quantilesNs) })) };
  },
});
