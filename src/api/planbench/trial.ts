import { z } from 'zod';
import { TRIAL_KINDS } from '../../core/planbench/trial.ts';
import { namedStatements } from '../../store/databases/statements.ts';
import { latestTrials } from '../../store/trials/trials.ts';
import { prepareTrial } from '../../trials/prepareTrial.ts';
import { environmentOfServer } from '../../trials/servers.ts';
import { beginTrial, serverNamed, stopTrial, TrialRefused, trialOf, trialUnderWay } from '../../trials/trials.ts';
import { setOut } from '../databases/setOut.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type PreparedTrial = z.output<typeof prepareStatement.answer>;
export type StatementToTry = z.output<typeof statementToTry.answer>;
export type PlanTrial = z.output<typeof planTrial.answer>;
export type PlanTrials = z.output<typeof planTrials.answer>;

const LONGEST_TEXT = 20_000;
const statementText = z.string().trim().min(1, 'there is no statement').max(LONGEST_TEXT);

/** What a person can mend is said as such. */
async function understood<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof ApiError) throw error;
    if (error instanceof TrialRefused || error instanceof Error) throw new ApiError(400, error.message);
    throw error;
  }
}

export const prepareStatement = endpoint({
  method: 'POST',
  path: '/api/planbench/statement',
  least: 'reader',
  summary:
    'What speaks against trying a statement on a server, and the values that it leaves open with proposals from statistics. Nothing of it runs.',
  query: z.strictObject({ server: z.string().max(100), text: statementText }),
  answer: z.object({
    text: z.string(),
    values: z
      .array(z.object({ number: z.int(), type: z.string(), column: z.string(), proposed: z.array(z.string()).readonly() }))
      .readonly(),
    refusals: z.array(z.string()).readonly().meta({ description: 'Why it is not tried; empty when it may be.' }),
    warnings: z.array(z.string()).readonly(),
    tables: z.array(z.object({ name: z.string(), rows: z.number(), bytes: z.number() })).readonly(),
  }),
  run: ({ server, text }) => understood(async () => prepareTrial(text, await serverNamed(server))),
});

export const statementToTry = endpoint({
  path: '/api/planbench/statements/{statementId}',
  least: 'reader',
  summary: 'The text of a statement, to be tried.',
  query: z.strictObject({ statementId: z.string().max(64) }),
  answer: z.object({ title: z.string(), text: z.string() }),
  run: async ({ statementId }) => {
    const it = (await namedStatements([statementId])).get(statementId);
    if (!it?.text) throw new ApiError(404, 'Nobody has sent the text of this statement. Type it.');
    return { title: it.name, text: setOut(it.text) };
  },
});

export const startTrial = endpoint({
  method: 'POST',
  path: '/api/planbench/trials',
  least: 'responder',
  environmentOf: ({ server }) => environmentOfServer(server),
  summary: 'Begins to try a statement: other texts, settings, indexes and statistics, each run by turns, all rolled back.',
  query: z.strictObject({
    server: z.string().max(100),
    statementId: z.string().max(64).default(''),
    text: statementText,
    valueSets: z
      .array(z.array(z.string().max(10_000)).max(100))
      .max(5)
      .default([]),
    kinds: z
      .array(z.enum(TRIAL_KINDS))
      .min(1)
      .default([...TRIAL_KINDS]),
    runs: z.int().min(2).max(30).default(9),
    most: z.int().min(1).max(40).default(14),
    limit: z.union([z.enum(['original', 'best']), z.number().min(50).max(60_000)]).default('original'),
  }),
  answer: z.object({ id: z.string() }),
  run: (request) => understood(async () => ({ id: await beginTrial(request) })),
});

const blocks = z.object({ hit: z.number(), read: z.number(), temporary: z.number() }).nullable();
const tried = z.object({
  key: z.string(),
  kinds: z.array(z.enum(TRIAL_KINDS)).readonly(),
  words: z.string(),
  why: z.array(z.string()).readonly(),
  proof: z
    .enum(['always', 'schema', 'trial'])
    .meta({ description: 'Why the rows are the same: for any data, for any the schema allows, or as far as it was tried.' }),
  text: z.string(),
  shown: z.string().meta({ description: 'The text set out over lines.' }),
  commands: z.array(z.string()).readonly().meta({ description: 'What has to be made first, as SQL.' }),
  settings: z.record(z.string(), z.string()),
  first: z.object({ ms: z.number(), isCold: z.boolean() }).nullable(),
  runs: z.array(z.number()).readonly().meta({ description: 'Milliseconds, without the first.' }),
  verdict: z.object({ is: z.enum(['better', 'same', 'worse', 'unsure']), chance: z.number() }).nullable(),
  rows: z
    .union([
      z.object({ are: z.literal('equal'), count: z.number() }),
      z.object({ are: z.literal('other'), count: z.number(), words: z.string() }),
      z.object({ are: z.literal('unknown'), words: z.string() }),
    ])
    .nullable(),
  blocks,
  workMs: z.number().nullable(),
  cost: z.number(),
  planningMs: z.number().nullable(),
  plan: z.string(),
  index: z.object({ bytes: z.number(), buildMs: z.number(), writeUs: z.number().nullable() }).nullable(),
});

export const planTrial = endpoint({
  path: '/api/planbench/trials/{id}',
  least: 'reader',
  summary: 'A trial as it stands: what was tried with all runs, what was left out and why.',
  query: z.strictObject({ id: z.string().max(40) }),
  answer: z.object({
    id: z.string(),
    server: z.string(),
    statementId: z.string(),
    text: z.string(),
    begun: z.number(),
    ended: z.number().nullable(),
    phase: z.enum(['planning', 'building', 'trying', 'comparing', 'done', 'stopped', 'failed']),
    words: z.string(),
    progress: z.object({ done: z.number(), of: z.number(), secondsLeft: z.number().nullable() }),
    valueSets: z.array(z.object({ values: z.array(z.string()).readonly(), rows: z.number().nullable() })).readonly(),
    original: tried.nullable(),
    alternatives: z.array(tried).readonly(),
    leftOut: z
      .array(
        z.object({
          because: z.enum(['same plan', 'no cheaper', 'other rows', 'slower', 'cannot be run', 'not among the first']),
          words: z.string(),
          detail: z.string(),
        }),
      )
      .readonly(),
    how: z.object({
      address: z.string(),
      isCopy: z.boolean(),
      runs: z.int(),
      limitMs: z.number().nullable(),
      warnings: z.array(z.string()).readonly(),
      looked: z.int(),
    }),
  }),
  run: async ({ id }) => {
    const found = await trialOf(id);
    if (!found) throw new ApiError(404, 'There is no such trial; only the latest 300 are kept.');
    const shown = <T extends { readonly text: string }>(it: T) => ({ ...it, shown: setOut(it.text) });
    return { ...found, original: found.original && shown(found.original), alternatives: found.alternatives.map(shown) };
  },
});

export const stopPlanTrial = endpoint({
  method: 'POST',
  path: '/api/planbench/trials/{id}/stop',
  least: 'responder',
  environmentOf: async ({ id }) => environmentOfServer((await trialOf(id))?.server ?? ''),
  summary: 'Stops a trial that is under way: what runs is cancelled and rolled back, what was found stays.',
  query: z.strictObject({ id: z.string().max(40) }),
  answer: z.object({}),
  run: async ({ id }) => {
    await stopTrial(id);
    return {};
  },
});

export const planTrials = endpoint({
  path: '/api/planbench/trials',
  least: 'reader',
  summary: 'The latest trials, in short.',
  query: z.strictObject({}),
  answer: z.object({
    trials: z.array(
      z.object({
        id: z.string(),
        server: z.string(),
        text: z.string(),
        begun: z.number(),
        phase: z.string(),
        better: z.int().meta({ description: 'How many ways were faster beyond the noise, with the same rows.' }),
      }),
    ),
  }),
  run: async () => ({
    trials: (await latestTrials(12)).map(({ ended, phase, ...it }) => ({
      ...it,
      phase: ended !== null ? phase : it.id === trialUnderWay() ? 'under way' : 'stopped',
    })),
  }),
});
