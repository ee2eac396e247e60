import { z } from 'zod';
import { type CaseContent, countedVisits, type Impact, isWorkedOut, NO_IMPACT } from '../../core/casebook/caseContent.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { harmOfVisits } from '../../core/visits/figures/harmOfVisits.ts';
import { impactSchema } from '../../formats/casebook/caseSchema.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { usersHarmedByAny } from '../../store/requests/entrySums.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { type Endpoint, endpoint } from '../endpoint.ts';
import { cost } from '../now/cost.ts';
import { now } from '../now/now.ts';
import { visitorsOf } from '../visitors/visitsOf.ts';
import { leftOutWords, wholeAnswer } from './wholeAnswer.ts';

export type WorkedImpact = z.output<typeof impact.answer>;

/** Nobody was harmed, as far as is stored. */
const NOTHING: Impact = { people: 0, failed: 0, requests: 0, waitingNs: 0, amount: null, amountLeast: null, amountMost: null };
const WORSE = new Set(['failing', 'strained']);

export const impact = endpoint({
  path: '/api/casebook/impact',
  least: 'reader',
  summary:
    'What a stretch of time did to people: users harmed, requests that failed, extra waiting, and what an amount lacks, of the journeys that got worse in it.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    amountKey: z.string().max(200).default(''),
    visitsOf: z.string().max(200).default('').meta({
      description: 'An application: what its visitors lived through instead of the requests. Failures are views with an error.',
    }),
  }),
  answer: z.object({
    impact: impactSchema,
    journeys: z.array(z.string()).meta({ description: 'Those that got worse, of visits the pages; the figures are of them.' }),
  }),
  run: async ({ amountKey, visitsOf, ...query }, context) => {
    if (visitsOf !== '') return impactOnVisits(visitsOf, query);
    const found = await now.run({ ...query, services: 'tallied' }, context);
    const worse = found.journeys.filter(({ state }) => WORSE.has(state));
    if (worse.length === 0) return { impact: found.requests.lit === 0 ? NO_IMPACT : NOTHING, journeys: [] };
    const [{ lit }, named, operations, amount] = await Promise.all([
      windowsOf(query),
      namedJourneys(),
      allOperations(),
      amountKey === '' ? undefined : cost.run({ ...query, key: amountKey }, context),
    ]);
    const entriesOf = new Map(
      journeysOf(named, [...new Set(operations.map(({ name }) => name))]).map((it) => [it.name, new Set(it.entries)]),
    );
    const people = await usersHarmedByAny(
      lit,
      worse.map((it) => ({
        entryIds: operations
          .filter(({ name }) => entriesOf.get(it.name)?.has(name) ?? it.entries.includes(name))
          .map(({ id }) => id),
        overNs: it.before.p99Ns ?? Number.MAX_SAFE_INTEGER,
      })),
    );
    const sum = (of: (it: (typeof worse)[number]) => number) => worse.reduce((total, it) => total + of(it), 0);
    // A loss is told when it is one beyond chance.
    const isLoss = amount !== undefined && amount.most !== null && amount.most < 0;
    return {
      impact: {
        // Somebody was harmed: nobody who is named is not nobody.
        people: people === 0 ? null : people,
        failed: sum((it) => it.lit.failures),
        requests: sum((it) => it.lit.calls),
        waitingNs: sum((it) => Math.max(0, it.extraWaitingNs)),
        amount: isLoss ? -amount.difference! : null,
        amountLeast: isLoss ? -amount.most! : null,
        amountMost: isLoss ? -amount.least! : null,
      },
      journeys: worse.map(({ name }) => name),
    };
  },
});

/** What the visitors of an application lived through on the pages that got worse. What an amount lacks is not known of visits. */
async function impactOnVisits(
  app: string,
  query: z.output<z.ZodObject<typeof comparisonParameters>>,
): Promise<{ impact: Impact; journeys: string[] }> {
  const { lit, before, counts } = await visitorsOf({ ...query, app, who: '' }, 'views');
  if (counts.lit.views === 0) return { impact: NO_IMPACT, journeys: [] };
  const harm = harmOfVisits(lit, before);
  return {
    impact: {
      ...NOTHING,
      people: harm.people,
      failed: harm.failed,
      requests: harm.views,
      waitingNs: harm.waitingMs * 1e6,
    },
    journeys: [...harm.pages],
  };
}

/** The same for a case: from when it began until it ended, or until now; with what is left out, in words. Undefined while it is not known since when, or when neither requests nor visits are what counts. */
export async function impactOfCase(
  {
    since,
    until,
    where,
    countsRequests,
    visitsOf,
    amountKey,
  }: Pick<CaseContent, 'since' | 'until' | 'where' | 'countsRequests' | 'visitsOf' | 'amountKey'>,
  nowMs: number,
): Promise<(WorkedImpact & { readonly leftOut: string }) | undefined> {
  const to = until ?? nowMs;
  const visits = countedVisits({ countsRequests, visitsOf });
  if (since === null || to <= since || !isWorkedOut({ countsRequests, visitsOf })) return undefined;
  const { json, leftOut } = await wholeAnswer(impact as unknown as Endpoint, {
    from: new Date(since).toISOString(),
    to: new Date(to).toISOString(),
    ...(where === '' ? {} : { where }),
    ...(amountKey === '' ? {} : { amountKey }),
    ...(visits === '' ? {} : { visitsOf: visits }),
  });
  return { ...(JSON.parse(json) as WorkedImpact), leftOut: leftOutWords(leftOut) };
}
