import { z } from 'zod';
import { tailLines } from '../../store/logs/tailLines.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { wholeNumber } from '../parameters.ts';
import { describeLine, lineAnswer } from './lines.ts';
import { lineParameters, lineScope } from './question.ts';

export type LogTail = z.output<typeof logTail.answer>;

export const logTail = endpoint({
  path: '/api/logs/tail',
  least: 'reader',
  summary: 'The lines that came since a moment, as they come; some may come twice, with the same id.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    ...lineParameters,
    since: z.coerce.number().min(0).max(1e14).meta({ description: '`until` of the answer before; epoch milliseconds.' }),
    limit: wholeNumber(1, 2_000, 1_000),
  }),
  answer: z.object({
    lines: z.array(lineAnswer),
    until: z.number(),
    passedOver: z.number().meta({ description: 'Lines that fit but were left out, since more came than `limit`.' }),
  }),
  run: async ({ text, severity, shape, without, since, limit, ...query }, { signal }) => {
    const { lit } = await windowsOf(query);
    const scope = lineScope(lit, { text, severity, shape, without });
    const { lines, until, passedOver } = await tailLines(scope, since, limit, signal);
    return { lines: lines.map(describeLine), until, passedOver };
  },
});
