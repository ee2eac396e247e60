import { z } from 'zod';
import { SEVERITIES } from '../../core/logs/severity.ts';
import { NO_TEXT, parseTextQuery, type TextQuery } from '../../core/logs/textQuery.ts';
import { type Condition, condition } from '../../core/scope/condition.ts';
import type { LineScope } from '../../store/logs/logLines.ts';
import type { TraceFilter } from '../../store/scope/traceFilter.ts';
import type { Window } from '../comparison.ts';

const MOST_SHAPES = 50;

const shapeIds = z
  .string()
  .transform((text) => text.split(',').filter((it) => it !== ''))
  .refine(
    (ids) => ids.length <= MOST_SHAPES && ids.every((id) => /^[0-9a-f]{16}$/.test(id)),
    'ids of shapes are expected, 16 hex digits each',
  )
  .default([]);

/** What lines are asked for with, beside the scope. */
export const lineParameters = {
  text: z
    .string()
    .transform((typed, context): TextQuery => {
      const query = parseTextQuery(typed);
      if (typeof query !== 'string') return query;
      context.addIssue({ code: 'custom', message: query });
      return z.NEVER;
    })
    .default(NO_TEXT)
    .meta({
      description:
        'Words, "words in this order", -without either; a regular expression between slashes. Upper and lower case are the same.',
    }),
  severity: z
    .string()
    .transform((text) => text.split(',').filter((it) => it !== ''))
    .pipe(z.array(z.enum(SEVERITIES)))
    .default([])
    .meta({ description: `Ranges of severity, separated by commas: ${SEVERITIES.join(', ')}.` }),
  shape: shapeIds.meta({ description: 'Ids of message shapes, separated by commas: only their lines.' }),
  without: shapeIds.meta({ description: 'Ids of message shapes: none of their lines.' }),
};

type LineParameters = z.output<z.ZodObject<typeof lineParameters>>;

/** The lines of a window that a question means. */
export function lineScope(window: Window, { text, severity, shape, without }: LineParameters): LineScope {
  return { from: window.from, to: window.to, where: conditionsOf(window), text, severities: severity, shapes: shape, without };
}

/** The filter of requests as conditions. */
function conditionsOf({ service, operation, entry, minDurationNs, maxDurationNs, failed, where = [] }: TraceFilter): Condition[] {
  return [
    ...where,
    ...(service === undefined ? [] : [condition('service', 'is', service)]),
    ...(operation === undefined ? [] : [condition('operation', 'is', operation)]),
    ...(entry === undefined ? [] : [condition('entry', 'is', entry)]),
    ...(minDurationNs === undefined ? [] : [condition('duration', 'at least', `${minDurationNs}ns`)]),
    ...(maxDurationNs === undefined ? [] : [condition('duration', 'at most', `${maxDurationNs}ns`)]),
    ...(failed === undefined ? [] : [condition('failed', 'is', failed ? 'yes' : 'no')]),
  ];
}
