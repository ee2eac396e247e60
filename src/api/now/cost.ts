import { z } from 'zod';
import { costOf } from '../../core/journeys/cost.ts';
import { amountByMinute } from '../../store/columns/amountByMinute.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type CostAnswer = z.output<typeof cost.answer>;

const DAY_NS = 86_400_000_000_000n;
const MOST_DAYS = 7;

export const cost = endpoint({
  path: '/api/now/cost',
  summary: 'What an amount that requests carry came to in the lit window, against what was to be expected.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, key: z.string().min(1).max(200) }),
  answer: z.object({
    byMinute: z.array(z.number()),
    expectedPerMinute: z.number().nullable(),
    actual: z.number(),
    expected: z.number().nullable(),
    difference: z.number().nullable(),
    least: z.number().nullable(),
    most: z.number().nullable(),
    reference: z.string().meta({ description: 'What is taken for usual, in words.' }),
  }),
  run: async ({ key, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const kept = await storedTime();
    // The same time on the days before, as far as they are kept whole; else the before window.
    const days = Array.from({ length: MOST_DAYS }, (_, at) => BigInt(at + 1) * DAY_NS)
      .map((back) => ({ ...lit, from: lit.from - back, to: lit.to - back }))
      .filter((it) => kept !== null && it.from >= kept.from);
    const byMinute = await amountByMinute(key, lit);
    const reference: number[] = [];
    for (const it of days.length > 0 ? days : [before]) reference.push(...(await amountByMinute(key, it)));
    const known = costOf(byMinute, reference);
    return {
      byMinute,
      expectedPerMinute: known ? known.expected / byMinute.length : null,
      actual: byMinute.reduce((sum, it) => sum + it, 0),
      expected: known?.expected ?? null,
      difference: known?.difference ?? null,
      least: known?.least ?? null,
      most: known?.most ?? null,
      reference:
        days.length > 0
          ? `the same time on ${days.length === 1 ? 'the day' : `${days.length} days`} before`
          : 'the before window',
    };
  },
});
