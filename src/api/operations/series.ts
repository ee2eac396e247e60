import { z } from 'zod';
import { figuresOverTime } from '../../store/rollups/operationFigures.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime, wholeNumber } from '../parameters.ts';
import { describeSums, figuresAnswer, SHARES } from './figures.ts';

export const operationSeries = endpoint({
  path: '/api/operations/{id}/series',
  summary: 'One operation over time, in stretches of whole minutes; those without a call left out.',
  runs: 'analysis',
  query: z.strictObject({ id: wholeNumber(1, 2 ** 31 - 1, 1), from: isoTime, to: isoTime, stepMinutes: wholeNumber(1, 1440, 1) }),
  answer: z.object({ stepMs: z.int(), buckets: z.array(z.object({ at: z.number(), ...figuresAnswer })) }),
  run: async ({ id, from, to, stepMinutes }) => {
    if (to <= from) throw new ApiError(400, 'to: is not after from');
    const found = await figuresOverTime(id, from, to, stepMinutes, SHARES);
    return { stepMs: stepMinutes * 60_000, buckets: found.map((it) => ({ at: it.at, ...describeSums(it, it.quantilesNs) })) };
  },
});
