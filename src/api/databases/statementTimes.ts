import { z } from 'zod';
import { shareRange } from '../../core/measures/shareRange.ts';
import { condition } from '../../core/scope/condition.ts';
import { sessionLoad } from '../../store/databases/sessionLoad.ts';
import { type StatementCalls, statementCalls } from '../../store/databases/statementCalls.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { stretchOf } from './loads.ts';
import { callersOf, requestsBehind } from './requestsBehind.ts';

export type StatementTimes = z.output<typeof statementTimes.answer>;

/** Requests of each window whose spans are read. */
const MOST_READ = 400;
/** Entries whose requests are looked at, those first in whose course it was seen most. */
const MOST_ENTRIES = 10;

const range = z
  .object({ value: z.number(), low: z.number(), high: z.number() })
  .nullable()
  .meta({ description: 'Nanoseconds, with the range that holds in 95 of 100 samples; null with too few calls.' });

const side = z.object({
  calls: z.int(),
  requests: z.int().meta({ description: 'Requests with such a call.' }),
  read: z.int().meta({ description: 'Requests that were read, each as likely as any other.' }),
  total: z.int().meta({ description: 'Requests of those entries.' }),
  p50: range,
  p95: range,
});

export const statementTimes = endpoint({
  path: '/api/databases/{name}/statements/{statementId}/times',
  least: 'reader',
  summary:
    'How long the calls of a statement took for those who made them, by the spans of a fair sample of the requests in whose course it runs.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string(), statementId: z.string().max(64) }),
  answer: z.object({
    entries: z
      .array(z.string())
      .meta({ description: 'Entries of the requests that were looked at; empty when no sample names a request.' }),
    lit: side,
    before: side,
  }),
  run: async ({ name, statementId, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const stretch = stretchOf(lit);
    const seen = await requestsBehind(
      await sessionLoad([stretch.from, stretch.to], { server: name, parts: ['values'] }),
      statementId,
      lit,
    );
    const entries = [...new Set(callersOf(seen).map(({ operation }) => operation))].slice(0, MOST_ENTRIES);
    const callsOf = ({ from, to }: Window) =>
      statementCalls(name, statementId, { from, to, where: [condition('entry', 'is', ...entries)] }, MOST_READ);
    // Both read the same columns: one after the other.
    const [now, then] = entries.length === 0 ? [NONE, NONE] : [await callsOf(lit), await callsOf(before)];
    return { entries, lit: described(now), before: described(then) };
  },
});

const NONE: StatementCalls = { durations: new Float64Array(0), requests: 0, read: 0, total: 0 };

function described({ durations, ...it }: StatementCalls): z.input<typeof side> {
  const at = (share: number) => shareRange(durations, share, it.requests) ?? null;
  return { ...it, calls: durations.length, p50: at(0.5), p95: at(0.95) };
}
