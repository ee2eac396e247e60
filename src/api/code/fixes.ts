import { z } from 'zod';
import type { CodeTrial } from '../../core/fixes/codeTrial.ts';
import { runFixes } from '../../fixes/runFixes.ts';
import { shippedFixes } from '../../fixes/shippedFixes.ts';
import { latestCodeTrial, saveCodeTrial } from '../../store/trials/codeTrials.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type CodeFixes = z.output<typeof codeFixes.answer>;

const time = z.number().nonnegative();
const tried = z.object({
  file: z.string().max(200),
  what: z.string().max(300),
  source: z.string().max(100_000),
  runs: z.array(time).max(1_000),
  bytes: time,
  bytesAtLeast: z.boolean(),
  gcMs: time,
  same: z.int().nonnegative(),
  of: z.int().nonnegative(),
  failed: z.string().max(600),
  bySize: z.array(z.tuple([z.number(), z.number()])).max(2_000),
  slope: z.object({ slope: z.number(), interval: z.tuple([z.number(), z.number()]) }).nullable(),
  verdict: z.object({ is: z.enum(['better', 'same', 'worse', 'unsure']), chance: z.number() }).nullable(),
});

const trial = z.object({
  id: z.uuid(),
  subject: z.string().max(3_000),
  note: z.string().max(500),
  begun: z.number(),
  runtime: z.string().max(100),
  inputs: z.int(),
  rounds: z.int(),
  sizeName: z.string().max(100),
  ways: z.array(tried).min(1).max(20),
});

const subject = z.string().min(1).max(3_000).meta({ description: 'The finding, by its key.' });

/** The one that runs: two at a time would disturb each other's times. */
let running: { readonly subject: string; done: number; of: number } | undefined;
let lastFailure: { readonly subject: string; readonly message: string } | undefined;

export const codeFixes = endpoint({
  path: '/api/code/fixes',
  least: 'reader',
  summary: 'Alternatives to the function of a finding: whether there are some to run, and what was measured of them last.',
  query: z.strictObject({ subject }),
  answer: z.object({
    files: z.int().meta({ description: 'Alternatives that lie ready to be run; 0 for none.' }),
    running: z.object({ done: z.int(), of: z.int() }).nullable(),
    failed: z.string(),
    trial: trial.nullable(),
  }),
  run: async ({ subject: of }) => {
    const shipped = shippedFixes(of);
    const found = await latestCodeTrial(of);
    return {
      files: shipped ? shipped.files.length - 1 : 0,
      running: running?.subject === of ? { done: running.done, of: running.of } : null,
      failed: lastFailure?.subject === of ? lastFailure.message : '',
      trial: (found as z.input<typeof trial> | undefined) ?? null,
    };
  },
});

export const runCodeFixes = endpoint({
  method: 'POST',
  path: '/api/code/fixes',
  least: 'responder',
  summary: 'Runs the alternatives that lie ready for a finding by turns with the original. One such run at a time.',
  query: z.strictObject({ subject }),
  answer: z.object({ started: z.boolean() }),
  run: async ({ subject: of }) => {
    const shipped = shippedFixes(of);
    if (!shipped) throw new ApiError(404, 'There are no alternatives to run for this finding. Run yours by ./dusk bench code.');
    if (running) throw new ApiError(400, 'Alternatives are being run already. Wait until they are done.');
    const state = { subject: of, done: 0, of: 1 };
    running = state;
    lastFailure = undefined;
    void runFixes({
      ...shipped,
      onRound: (done, rounds) => {
        state.done = done;
        state.of = rounds;
      },
    })
      .then(saveCodeTrial)
      .catch((error: Error) => {
        lastFailure = { subject: of, message: error.message };
      })
      .finally(() => {
        running = undefined;
      });
    return { started: true };
  },
});

export const keepCodeTrial = endpoint({
  method: 'PUT',
  path: '/api/code/fixes',
  least: 'responder',
  summary: 'Keeps what ./dusk bench code measured, for the finding that it names.',
  longestBody: 2 * 2 ** 20,
  query: z.strictObject({ trial }),
  answer: z.object({ kept: z.boolean() }),
  run: async ({ trial: it }) => {
    await saveCodeTrial(it as CodeTrial);
    return { kept: true };
  },
});
