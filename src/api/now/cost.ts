import { z } from 'zod';
import { costOf } from '../../core/journeys/cost.ts';
import { type Amounts, amountByMinute } from '../../store/requests/amountByMinute.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type CostAnswer = z.output<typeof cost.answer>;

const DAY_NS = 86_400_000_000_000n;
const MOST_DAYS = 7;
/** Bars that can still be told apart. */
const MOST_SHOWN = 240;

const sum = (amounts: readonly number[]) => amounts.reduce((total, it) => total + it, 0);

export const cost = endpoint({
  path: '/api/now/cost',
  least: 'reader',
  summary: 'What an amount that requests carry came to in the lit window, against what was to be expected.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, key: z.string().min(1).max(200) }),
  answer: z.object({
    stepMinutes: z.int().meta({ description: 'Minutes that each of the amounts is the sum of.' }),
    amounts: z.array(z.number()),
    expectedAmount: z.number().nullable().meta({ description: 'Of each step.' }),
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
    const { byMinute, byEntry } = await amountByMinute(key, lit);
    const reference: Amounts['byEntry'] = new Map();
    for (const it of days.length > 0 ? days : [before])
      for (const [entry, { attempts, sum, squares }] of (await amountByMinute(key, it)).byEntry) {
        const all = reference.get(entry) ?? { attempts: 0, sum: 0, squares: 0 };
        reference.set(entry, all);
        all.attempts += attempts;
        all.sum += sum;
        all.squares += squares;
      }
    const known = costOf(byEntry, reference);
    const stepMinutes = Math.ceil(byMinute.length / MOST_SHOWN);
    return {
      stepMinutes,
      amounts: Array.from({ length: Math.ceil(byMinute.length / stepMinutes) }, (_, at) =>
        sum(byMinute.slice(at * stepMinutes, (at + 1) * stepMinutes)),
      ),
      expectedAmount: known ? (known.expected / byMinute.length) * stepMinutes : null,
      actual: sum(byMinute),
      expected: known?.expected ?? null,
      difference: known?.difference ?? null,
      least: known?.least ?? null,
      most: known?.most ?? null,
      reference:
        days.length > 0
          ? `as many attempts at the same time on ${days.length === 1 ? 'the day' : `${days.length} days`} before`
          : 'as many attempts in the before window',
    };
  },
});
