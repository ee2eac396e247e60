import { z } from 'zod';
import { questionName, questionProgress } from '../server/requests/questions.ts';
import { endpoint } from './endpoint.ts';

export type Progress = z.output<typeof progress.answer>;

/** Questions that are asked about at a time. */
const MOST = 20;

export const progress = endpoint({
  path: '/api/progress',
  least: 'reader',
  summary: 'How far the answers to some questions are, by the names that came with them in the header lantern-question.',
  query: z.strictObject({
    questions: z
      .string()
      .transform((text) => text.split(','))
      .refine((names) => names.length <= MOST && names.every((it) => questionName(it) !== undefined), {
        message: `at most ${MOST} names of 8 to 40 of the signs 0-9, a-f and -, with commas between, are expected`,
      })
      .meta({ description: 'Their names, separated by commas.' }),
  }),
  answer: z.object({
    done: z
      .array(z.number().nullable())
      .meta({ description: 'Of each, how much is done, 0 to 1; null for one that has not told yet or is answered.' }),
  }),
  run: async ({ questions }) => ({
    done: questions.map((it) => {
      const thousandths = questionProgress(it);
      return thousandths === undefined ? null : thousandths / 1_000;
    }),
  }),
});
