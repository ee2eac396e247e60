import { z } from 'zod';
import { type CostOfCall, statementAdvice } from '../../core/database/advice.ts';
import { eachBlockedMoment } from '../../core/database/eachMoment.ts';
import { HolderSums } from '../../core/database/holders.ts';
import { HOUR_PARTS } from '../../core/database/hours/hourColumns.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { parsePlan, planDifference } from '../../core/database/planTree.ts';
import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { plansOf } from '../../store/databases/plans.ts';
import { type SessionLoad, sessionLoad } from '../../store/databases/sessionLoad.ts';
import { type StatementCost, statementCosts, statementSteps } from '../../store/databases/statementCounters.ts';
import { namedStatements } from '../../store/databases/statements.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import {
  aroundOf,
  compareLoads,
  describeTide,
  eachPart,
  everyMoment,
  loadAnswer,
  loadAround,
  loadMoves,
  nanosOf,
  type Stretch,
  stepFor,
  stretchOf,
  sumsOf,
  tideAnswer,
  worstAnswer,
} from './loads.ts';
import { callersOf, requestsBehind } from './requestsBehind.ts';
import { setOut } from './setOut.ts';

export type DatabaseStatement = z.output<typeof databaseStatement.answer>;

const SHOWN_TRACES = 12;

const cost = z
  .object({
    calls: z.number().meta({ description: 'A second.' }),
    ms: z.number(),
    rows: z.number(),
    blocksHit: z.number(),
    blocksRead: z.number(),
    blocksTemporary: z.number(),
  })
  .nullable()
  .meta({ description: 'Of one call on average, but for the calls; null when no counters were sent.' });

export const databaseStatement = endpoint({
  path: '/api/databases/{name}/statements/{statementId}',
  least: 'reader',
  summary:
    'One statement of a server: its text, what a call costs, what its sessions wait for, who calls it with which requests, its plans and what their change did.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string(), statementId: z.string().max(64) }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    classes: z.array(z.string()),
    title: z.string(),
    detail: z.string(),
    text: z.string().meta({ description: 'Set out over lines; empty when nobody has sent it.' }),
    tables: z.array(z.string()),
    cores: z.number(),
    lit: loadAnswer,
    before: loadAnswer,
    move: loadMoves,
    since: z.number().nullable(),
    worst: worstAnswer,
    tide: tideAnswer,
    cost: z.object({ lit: cost, before: cost }),
    steps: z.object({
      lit: z
        .array(z.tuple([z.number(), z.number(), z.number()]))
        .meta({ description: 'Time, calls a second, milliseconds a call.' }),
      before: z.array(z.tuple([z.number(), z.number(), z.number()])),
    }),
    programs: z.array(z.object({ program: z.string(), lit: z.number(), before: z.number() })),
    callers: z
      .array(z.object({ service: z.string(), operation: z.string(), traces: z.number() }))
      .meta({ description: 'Entries of the requests in whose course it was seen to run.' }),
    traces: z.array(
      z.object({
        traceId: z.string(),
        start: z.number(),
        durationNs: z.number(),
        failed: z.boolean(),
        service: z.string(),
        operation: z.string(),
      }),
    ),
    plans: z.array(
      z.object({
        planId: z.string(),
        at: z.number().meta({ description: 'Since when, epoch milliseconds.' }),
        plan: z.string(),
        cost: z.number(),
        difference: z.array(z.string()).meta({ description: 'From the one before it.' }),
        meanBeforeMs: z.number().nullable().meta({ description: 'Of a call in the half hour before it.' }),
        meanAfterMs: z.number().nullable(),
      }),
    ),
    holders: z.array(z.object({ who: z.string(), session: z.string(), share: z.number(), idleShare: z.number() })),
    advice: z.array(z.object({ words: z.string(), evidence: z.string() })),
  }),
  run: async ({ name, statementId, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const [litStretch, beforeStretch] = [stretchOf(lit), stretchOf(before)];
    const around = aroundOf(litStretch, Date.now());
    const [named, current, reference, costs, costsBefore, steps, stepsBefore, stored] = await Promise.all([
      namedStatements([statementId]),
      loadAround(around, litStretch, { server: name, parts: HOUR_PARTS }),
      sessionLoad([beforeStretch.from, beforeStretch.to], { server: name, parts: HOUR_PARTS }),
      statementCosts(name, lit.from, lit.to),
      statementCosts(name, before.from, before.to),
      statementSteps(name, statementId, lit.from, lit.to),
      statementSteps(name, statementId, before.from, before.to),
      plansOf(name, statementId, lit.to),
    ]);
    const it = named.get(statementId);
    const filters = [{ dimension: 'statement' as const, values: new Set([statementId]) }];
    const stepMs = stepFor(around);
    const sums = sumsOf(current, name, litStretch, stepMs, filters);
    const former = sumsOf(reference, name, beforeStretch, stepMs, filters);
    const shown = sumsOf(current, name, around, stepMs, filters);
    const compared = compareLoads(sums, former, shown);
    const [now, then] = [costOf(costs.get(statementId), litStretch), costOf(costsBefore.get(statementId), beforeStretch)];
    if (!it?.text && !now && !then && totalOf(sums.series.counts.map(totalOf)) === 0)
      throw new ApiError(
        404,
        `Nothing is known of a statement "${statementId.slice(0, 64)}" on ${name.slice(0, 100)} in these windows.`,
      );
    const traces = await requestsBehind(current, statementId, lit);
    const plans = await Promise.all(
      stored.map(async ({ plan, at, planId, totalCost }, index) => {
        const [own, earlier] = [parsePlan(plan), index > 0 ? parsePlan(stored[index - 1].plan) : undefined];
        const means = index === 0 ? [null, null] : await meansAround(name, statementId, at);
        return {
          planId,
          at,
          plan,
          cost: totalCost,
          difference: own && earlier ? planDifference(earlier, own) : [],
          meanBeforeMs: means[0],
          meanAfterMs: means[1],
        };
      }),
    );
    const last = plans.at(-1);
    const programs = [...new Set([...sums.cuts.program.keys(), ...former.cuts.program.keys()])]
      .map((program) => ({
        program,
        lit: averageOf(sums.cuts.program.get(program), sums.series.samples),
        before: averageOf(former.cuts.program.get(program), former.series.samples),
      }))
      .sort((a, b) => b.lit - a.lit || b.before - a.before);
    const holders = holdersOf(current, name, statementId, litStretch);
    // A change that lies far back explains nothing of this window.
    const isLate = last && plans.length > 1 && last.at >= beforeStretch.from && last.difference.length > 0;
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      classes: [...WAIT_CLASSES],
      title: it?.name ?? statementId,
      detail: it?.detail ?? '',
      text: setOut(it?.text ?? ''),
      tables: [...(it?.tables ?? [])],
      cores: shown.cores,
      ...compared,
      tide: describeTide(shown.series),
      cost: { lit: now, before: then },
      steps: { lit: steps.flatMap(stepOf), before: stepsBefore.flatMap(stepOf) },
      programs,
      callers: callersOf(traces),
      traces: traces.slice(0, SHOWN_TRACES),
      plans,
      holders,
      advice: statementAdvice({
        lit: compared.lit?.byClass ?? [],
        cost: now,
        costBefore: then,
        plan: (last && parsePlan(last.plan)) ?? null,
        changed: isLate ? { words: last.difference, meanBeforeMs: last.meanBeforeMs, meanAfterMs: last.meanAfterMs } : null,
        holders,
        program: programs[0]?.program ?? '',
      }),
    };
  },
});

function costOf(it: StatementCost | undefined, { from, to }: Stretch): CostOfCall | null {
  if (!it || it.calls === 0) return null;
  return {
    calls: it.calls / ((to - from) / 1000),
    ms: it.totalMs / it.calls,
    rows: it.rows / it.calls,
    blocksHit: it.blocksHit / it.calls,
    blocksRead: it.blocksRead / it.calls,
    blocksTemporary: it.blocksTemporary / it.calls,
  };
}

function stepOf(it: StatementCost & { at: number }, index: number, all: readonly { at: number }[]): [number, number, number][] {
  if (it.calls === 0) return [];
  const seconds = index > 0 ? (it.at - all[index - 1].at) / 1000 : 60;
  return [[it.at, it.calls / Math.max(1, seconds), it.totalMs / it.calls]];
}

function averageOf(counts: Float64Array | undefined, samples: readonly number[]): number {
  const taken = totalOf(samples);
  return counts && taken > 0 ? totalOf(counts) / taken : 0;
}

const MOST_HOLDERS = 5;
const HALF_HOUR_NS = 1_800_000_000_000n;

/** What a call took in the half hours before and after a moment. */
async function meansAround(server: string, statementId: string, at: number): Promise<[number | null, number | null]> {
  const moment = nanosOf(at);
  const mean = (steps: readonly StatementCost[]) => {
    const calls = steps.reduce((sum, it) => sum + it.calls, 0);
    return calls === 0 ? null : steps.reduce((sum, it) => sum + it.totalMs, 0) / calls;
  };
  const [earlier, later] = await Promise.all([
    statementSteps(server, statementId, moment - HALF_HOUR_NS, moment),
    statementSteps(server, statementId, moment, moment + HALF_HOUR_NS),
  ]);
  // The reading that spans the change belongs to neither.
  return [mean(earlier.slice(0, -1)), mean(later.slice(1))];
}

/** Who held the locks that a statement waited for: the roots of the trees in which it hung. */
function holdersOf(all: SessionLoad, server: string, statementId: string, { from, to }: Stretch) {
  const sums = new HolderSums(statementId);
  const every = everyMoment(all, { from, to });
  eachPart(
    all,
    server,
    ({ rows, slotMs }) =>
      eachBlockedMoment(rows, slotMs, every, (at, _, sessions) => {
        if (at >= from && at < to) sums.add(sessions);
      }),
    ({ hour }) => {
      if (hour.hourMs >= from && hour.hourMs < to) for (const it of hour.holders) sums.join(it);
    },
  );
  const holders = sums.all();
  const waitsOfAll = holders.reduce((sum, { waits }) => sum + waits, 0);
  return holders.slice(0, MOST_HOLDERS).map(({ session, program, user, waits, idle }) => ({
    who: program || user || `session ${session}`,
    session,
    share: waits / waitsOfAll,
    idleShare: idle / waits,
  }));
}
