import { z } from 'zod';
import { SEVERITIES, severityOf } from '../../core/logs/severity.ts';
import { formatIso } from '../../core/time/iso.ts';
import { type LineCursor, type ListedLine, linePage } from '../../store/logs/linePage.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { wholeNumber } from '../parameters.ts';
import { lineParameters, lineScope } from './question.ts';

export type LogLines = z.output<typeof logLines.answer>;
export type LogLine = z.output<typeof lineAnswer>;

const MOST_FIELDS = 8;

export const lineAnswer = z.object({
  id: z.string(),
  at: z.string().meta({ description: 'ISO 8601 with nanoseconds.' }),
  severity: z.enum(SEVERITIES),
  service: z.string(),
  instance: z.string(),
  text: z.string().meta({ description: 'The first 4 000 characters.' }),
  isCut: z.boolean(),
  shape: z.string(),
  values: z.array(z.string()),
  hasTrace: z.boolean(),
  fields: z.array(z.string().nullable()).meta({ description: 'The values of the fields that were asked for.' }),
});

const cursorText = z.string().transform((text, context): LineCursor => {
  const parts = /^(\d{1,19})\.(\d{1,9})$/.exec(text);
  if (parts) return { timeNs: BigInt(parts[1]), skip: Number(parts[2]) };
  context.addIssue({ code: 'custom', message: 'the cursor of an answer is expected' });
  return z.NEVER;
});

export const logLines = endpoint({
  path: '/api/logs/lines',
  least: 'reader',
  summary: 'The lines of a window, page by page, the newest or the oldest first.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    ...lineParameters,
    order: z.enum(['newest', 'oldest']).default('newest'),
    limit: wholeNumber(1, 500, 200),
    fields: z
      .string()
      .transform((text) => text.split(',').filter((it) => it !== ''))
      .refine((names) => names.length <= MOST_FIELDS, `${MOST_FIELDS} fields at most`)
      .default([])
      .meta({ description: 'Fields whose values are wanted too, separated by commas.' }),
    after: cursorText.optional().meta({ description: '`next` of the page before.' }),
  }),
  answer: z.object({
    lines: z.array(lineAnswer),
    next: z.string().nullable(),
    building: z.number(),
  }),
  run: async ({ text, severity, shape, without, order, limit, after, fields, ...query }, { signal }) => {
    const { lit } = await windowsOf(query);
    const scope = lineScope(lit, { text, severity, shape, without });
    const { lines, next, building } = await linePage(scope, order, limit, after ?? null, fields, { signal });
    return { lines: lines.map(describeLine), next: next && `${next.timeNs}.${next.skip}`, building };
  },
});

const LONGEST = 4_000;

export function describeLine({ timeNs, severity, text, values, fields, ...it }: ListedLine): LogLine {
  return {
    ...it,
    at: formatIso(timeNs),
    severity: severityOf(severity),
    text: text.slice(0, LONGEST),
    isCut: text.length > LONGEST,
    fields: fields.map((value) => value ?? null),
    values: values.map((value) => value.slice(0, 200)),
  };
}
