import { z } from 'zod';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';
import { contrastPaths } from '../../store/requests/contrastPaths.ts';
import { endpoint } from '../endpoint.ts';
import { contrastParameters, populationsOf } from './question.ts';
import { rememberContrast } from './remember.ts';

export type ContrastWhere = z.output<typeof contrastWhere.answer>;

/** Lines that are listed, those that changed most first; the others are one line. */
const MOST_LINES = 60;

export const contrastWhere = endpoint({
  path: '/api/contrast/where',
  least: 'reader',
  summary:
    'Where in the system two populations differ: time on the critical path by operation, which adds up to the difference, and where failures start.',
  runs: 'analysis',
  query: z.strictObject(contrastParameters),
  answer: z.object({
    requests: z.object({ a: z.number(), b: z.number(), leftA: z.number(), leftB: z.number() }),
    differenceNs: z.number().meta({ description: 'Of the mean durations; what the lines and the rest sum to.' }),
    leftNs: z.number().meta({ description: 'The same of the requests that are left.' }),
    lines: z.array(
      z.object({
        party: z.string(),
        operation: z.string(),
        kind: z.enum(TIME_KINDS),
        a: z.number().meta({ description: 'Nanoseconds a request, of all in A.' }),
        b: z.number(),
        leftA: z.number(),
        leftB: z.number(),
      }),
    ),
    restNs: z.number().meta({ description: 'The difference of the lines that are not listed.' }),
    restLeftNs: z.number(),
    failing: z.array(
      z.object({ party: z.string(), what: z.string(), a: z.number(), b: z.number(), leftA: z.number(), leftB: z.number() }),
    ),
    said: z
      .array(
        z.object({ field: z.string(), value: z.string(), a: z.number(), b: z.number(), leftA: z.number(), leftB: z.number() }),
      )
      .meta({
        description: 'What requests say of how they ended, such as a status or an exception, those that changed most first.',
      }),
  }),
  remember: rememberContrast,
  run: async (question, { signal }) => {
    const { rows } = await populationsOf(question, signal);
    const { paths, failing, said } = await contrastPaths(rows, question.peeled ?? []);
    const [a, b, leftA, leftB] = paths.requests;
    const all = paths.lines();
    const size = (it: (typeof all)[number]) => Math.max(Math.abs(it.a - it.b), Math.abs(it.leftA - it.leftB));
    const listed = new Set([...all].sort((one, other) => size(other) - size(one)).slice(0, MOST_LINES));
    const difference = (of: typeof all) => of.reduce((sum, it) => sum + it.a - it.b, 0);
    const left = (of: typeof all) => of.reduce((sum, it) => sum + it.leftA - it.leftB, 0);
    const rest = all.filter((it) => !listed.has(it));
    return {
      requests: { a, b, leftA, leftB },
      differenceNs: difference(all),
      leftNs: left(all),
      lines: all.filter((it) => listed.has(it)),
      restNs: difference(rest),
      restLeftNs: left(rest),
      failing: failing
        .map(({ party, words, counts: [ofA, ofB, ofLeftA, ofLeftB] }) => ({
          party,
          what: words,
          a: ofA,
          b: ofB,
          leftA: ofLeftA,
          leftB: ofLeftB,
        }))
        .sort((one, other) => other.a - one.a)
        .slice(0, MOST_LINES),
      said: said
        .map(({ field, value, counts: [ofA, ofB, ofLeftA, ofLeftB] }) => ({
          field,
          value,
          a: ofA,
          b: ofB,
          leftA: ofLeftA,
          leftB: ofLeftB,
        }))
        .sort((one, other) => Math.abs(other.a / a - other.b / b) - Math.abs(one.a / a - one.b / b))
        .slice(0, MOST_LINES),
    };
  },
});
