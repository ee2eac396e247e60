import { z } from 'zod';
import { SEVERITIES } from '../../core/logs/severity.ts';
import type { Condition } from '../../core/scope/condition.ts';
import { linesOverTime, storedLineTime } from '../../store/rollups/lineSeries.ts';
import { endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';
import { stepFor } from '../requests/series.ts';

export type LineSeries = z.output<typeof logSeries.answer>;

const MINUTE = 60_000;

export const logSeries = endpoint({
  path: '/api/logs/series',
  least: 'reader',
  summary:
    'Lines over time by severity, over all stored time. Of the conditions of the scope only those that name services apply: the others need the lines themselves.',
  query: z.strictObject(filterParameters),
  answer: z.object({
    stepMs: z.int(),
    buckets: z.array(z.object({ at: z.number(), counts: z.array(z.number()) })).meta({
      description: `Lines by severity: ${SEVERITIES.join(', ')}. Stretches without a line are left out.`,
    }),
  }),
  run: async (query) => {
    const kept = await storedLineTime();
    if (!kept) return { stepMs: MINUTE, buckets: [] };
    const { from = kept.from, to = kept.to, where = [] } = traceFilter(query);
    const stepMs = stepFor(from, to);
    const buckets = await linesOverTime(from, to, stepMs / MINUTE, servicesOf(where));
    return { stepMs, buckets };
  },
});

/** The services that all conditions leave that name some; undefined when none does. */
function servicesOf(where: readonly Condition[]): string[] | undefined {
  const named = where.filter(({ field, operator }) => field === 'service' && operator === 'is');
  if (named.length === 0) return undefined;
  return named.reduce((left, { values }) => left.filter((it) => values.includes(it)), [...named[0].values]);
}
