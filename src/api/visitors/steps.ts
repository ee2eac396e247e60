import { z } from 'zod';
import { atRank } from '../../core/columns/atRank.ts';
import { codesOf } from '../../core/columns/segment.ts';
import { faultGroups } from '../../core/visits/figures/versionFigures.ts';
import {
  funnelOf,
  parseSteps,
  REASONS,
  reasonOf,
  type StepFigures,
  stepsText,
  usualSteps,
} from '../../core/visits/funnel/funnel.ts';
import { factTest, type Split, splits } from '../../core/visits/funnel/funnelSplits.ts';
import { isApart } from '../../core/visits/funnel/isApart.ts';
import { knownSteps } from '../../core/visits/funnel/knownSteps.ts';
import { chosenPassages, type Passages, passages } from '../../core/visits/funnel/passages.ts';
import { UNDER_WAY_MS } from '../../core/visits/slotVisits.ts';
import { STEP_CRASH } from '../../core/visits/visitColumns.ts';
import { parseConditions } from '../../core/visits/visitFilter.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { describeVisitors, type VisitSide, visitorParameters, visitorsAnswer, visitorsOf } from './visitsOf.ts';

export type VisitorSteps = z.output<typeof visitorSteps.answer>;

const MOST_SPLITS = 6;
const MOST_GROUPS = 40;
const MOST_SESSIONS = 50;

const reasons = z.object(Object.fromEntries(REASONS.map((it) => [it, z.int()])) as Record<(typeof REASONS)[number], z.ZodInt>);
const stepFigures = z.object({
  reached: z.int(),
  wentOn: z.int(),
  left: reasons,
  medianMs: z.number().nullable(),
  slowMs: z.number().nullable(),
});
const part = z.object({ reached: z.int(), wentOn: z.int() });

export const visitorSteps = endpoint({
  path: '/api/visitors/steps',
  least: 'reader',
  summary:
    'How many visits go from step to step of a journey, lit against before, why the others left, and by which facets those differ who leave.',
  runs: 'analysis',
  query: z.strictObject({
    ...visitorParameters,
    steps: z.string().max(4_000).default('').meta({
      description: 'The steps in order: `action:search>page:/pay`, names percent-encoded. What most visitors press by default.',
    }),
    within: z.coerce
      .number()
      .min(1)
      .max(240)
      .default(60)
      .meta({ description: 'Minutes after the first step in which all are done.' }),
    per: z.enum(['visit', 'user']).default('visit'),
    at: z.coerce
      .number()
      .int()
      .min(0)
      .optional()
      .meta({ description: 'The step that is looked into; the one that got worst by default.' }),
    group: z
      .string()
      .max(2_000)
      .default('')
      .meta({ description: 'A group that is drawn apart: `facet=value;facet=value`, each part percent-encoded.' }),
  }),
  answer: z.object({
    ...visitorsAnswer,
    steps: z.array(z.object({ kind: z.enum(['page', 'action']), name: z.string() })),
    text: z.string(),
    within: z.number(),
    per: z.enum(['visit', 'user']),
    chosen: z.boolean().meta({ description: 'Whether the steps were asked for.' }),
    underWay: z.int().meta({ description: 'Visits that are left out since they may still go on.' }),
    lit: z.array(stepFigures),
    before: z.array(stepFigures),
    at: z.int(),
    splits: z.array(
      z.object({
        facets: z.array(z.string()),
        explains: z.number(),
        group: z.array(z.string()),
        apart: z
          .boolean()
          .meta({ description: 'Whether that group leaves so much more often than all others that chance does not do it.' }),
        values: z.array(z.object({ values: z.array(z.string()), lit: part, before: part })),
      }),
    ),
    group: z
      .object({
        facets: z.array(z.string()),
        values: z.array(z.string()),
        lit: z.array(stepFigures),
        others: z.array(stepFigures),
        left: z.int(),
        crashed: z.int(),
        medianMs: z.number().nullable().meta({ description: 'From the step to the end of the visit, of those who left at it.' }),
      })
      .nullable(),
    fault: z
      .object({
        kind: z.string(),
        name: z.string(),
        stack: z.string(),
        times: z.int(),
        firstMs: z.number(),
        session: z.string(),
        overTime: z.array(z.int()),
      })
      .nullable()
      .meta({ description: 'What went wrong most often in the visits of the group.' }),
    sessions: z.array(z.object({ session: z.string(), at: z.number(), reason: z.enum(REASONS) })).meta({
      description: 'Visits that left at the step, of the group where there is one.',
    }),
    known: z.array(z.object({ kind: z.enum(['page', 'action']), name: z.string(), visits: z.int() })).meta({
      description: 'What steps can be made of.',
    }),
  }),
  run: async ({ steps: text, within, per, at, group: asked, ...query }) => {
    const visitors = await visitorsOf(query);
    const { lit, before } = visitors;
    const parsed = parseSteps(text);
    if (!parsed) throw new ApiError(400, `steps: "${text.slice(0, 80)}" cannot be read; write them as action:search>page:/pay`);
    const steps = parsed.length > 0 ? parsed : usualSteps(lit.slots, lit.scope);
    const options = { steps, withinMs: within * 60_000, per };
    const all = passages(lit.slots, lit.scope, options);
    const settledMs = Date.now() - UNDER_WAY_MS;
    const endOf = endReader(lit, all);
    const now = chosenPassages(all, (at) => all.reached[at] === steps.length || endOf(at) < settledMs);
    const then = passages(before.slots, before.scope, options);
    const [nowSteps, thenSteps] = [now, then].map((of) => funnelOf(of, steps.length));
    const step = Math.min(at ?? worstStep(nowSteps, thenSteps), Math.max(0, steps.length - 2));
    const found =
      steps.length > 1
        ? splits({ lit: { slots: lit.slots, passages: now }, before: { slots: before.slots, passages: then } }, step)
        : [];
    const chosen = groupOf(asked, found, nowSteps[step]);
    const inGroup = chosen && groupTest(lit, now, chosen.facets, chosen.values);
    const own = inGroup ? chosenPassages(now, inGroup) : now;
    const leavers = chosenPassages(own, (at) => own.reached[at] === step + 1);
    const slowMs = nowSteps[step]?.slowMs ?? Number.NaN;
    return {
      ...describeVisitors(visitors),
      steps,
      text: stepsText(steps),
      within,
      per,
      chosen: parsed.length > 0,
      underWay: all.count - now.count,
      lit: nowSteps.map(describe),
      before: thenSteps.map(describe),
      at: step,
      splits: found.slice(0, MOST_SPLITS).map((it) => ({
        ...it,
        facets: [...it.facets],
        group: [...it.group],
        apart: isGroupApart(it, nowSteps[step]),
        values: it.values.slice(0, MOST_GROUPS).map(({ values, ...sides }) => ({ values: [...values], ...sides })),
      })),
      group:
        chosen && inGroup
          ? {
              facets: [...chosen.facets],
              values: [...chosen.values],
              lit: funnelOf(own, steps.length).map(describe),
              others: funnelOf(
                chosenPassages(now, (place) => !inGroup(place)),
                steps.length,
              ).map(describe),
              left: leavers.count,
              crashed: leavers.ends.filter((it) => it & STEP_CRASH).length,
              medianMs: leavers.count > 0 ? atRank(leavers.waitedMs, Math.floor((leavers.count - 1) / 2)) : null,
            }
          : null,
      fault: faultOf(lit, leavers),
      sessions: Array.from({ length: Math.min(MOST_SESSIONS, leavers.count) }, (_, index) => {
        const leaver = leavers.count - Math.min(MOST_SESSIONS, leavers.count) + index;
        const { fromMs, visits } = lit.slots[leavers.slots[leaver]];
        const row = leavers.rows[leaver];
        const session = codesOf(visits, 'session');
        return {
          session: session.texts[session.values[row] - 1] ?? '',
          at: fromMs + codesOf(visits, 'at').values[row],
          reason: reasonOf(leavers, leaver, slowMs),
        };
      }),
      known: knownSteps(lit.slots, lit.scope),
    };
  },
});

/** When the last thing of the visit of a passage happened, epoch milliseconds. */
function endReader({ slots }: VisitSide, of: Passages): (at: number) => number {
  const columns = slots.map(({ fromMs, visits }) => ({
    fromMs,
    begin: codesOf(visits, 'at').values,
    lasted: codesOf(visits, 'lasted').values,
  }));
  return (at) => {
    const { fromMs, begin, lasted } = columns[of.slots[at]];
    const row = of.rows[at];
    return fromMs + begin[row] + lasted[row];
  };
}

function describe({ medianMs, slowMs, ...it }: StepFigures) {
  return { ...it, left: { ...it.left }, medianMs: known(medianMs), slowMs: known(slowMs) };
}

function known(value: number): number | null {
  return Number.isFinite(value) ? value : null;
}

/** The step at which most more leave than before. */
function worstStep(lit: readonly StepFigures[], before: readonly StepFigures[]): number {
  const more = lit.map(({ reached, wentOn }, at) => {
    const then = before[at];
    return reached === 0 || at === lit.length - 1
      ? -1
      : reached - wentOn - (then.reached > 0 ? (1 - then.wentOn / then.reached) * reached : 0);
  });
  return Math.max(0, more.indexOf(Math.max(...more)));
}

/** The group that is asked for; else one that accounts for at least a third of who leaves more, and not by chance. */
function groupOf(asked: string, found: readonly Split[], step: StepFigures | undefined) {
  if (asked !== '') {
    const conditions = parseConditions(asked);
    if (!conditions)
      throw new ApiError(400, `group: "${asked.slice(0, 80)}" cannot be read; write it as facet=value;facet=value`);
    return { facets: conditions.map(({ field }) => field), values: conditions.map(({ values: [value = ''] }) => value) };
  }
  const [best] = found;
  if (!best || best.explains < 1 / 3) return undefined;
  return isGroupApart(best, step) ? { facets: best.facets, values: best.group } : undefined;
}

/** Whether the group that explains a split leaves more often than chance does. */
function isGroupApart({ values: all, group }: Split, step: StepFigures | undefined): boolean {
  const own = all.find(({ values }) => values.join('\0') === group.join('\0'))?.lit;
  return own !== undefined && step !== undefined && isApart({ reached: own.reached, left: own.reached - own.wentOn }, step);
}

function groupTest({ slots }: VisitSide, of: Passages, facets: readonly string[], values: readonly string[]) {
  const tests = facets.map((facet, at) => factTest(slots, facet, values[at]));
  return (at: number) => tests.every((isIt) => isIt(of.slots[at], of.rows[at]));
}

const BINS = 24;

/** What went wrong most often in the visits that left, with how often in each stretch of the window. */
function faultOf(lit: VisitSide, leavers: Passages) {
  const isIn = lit.slots.map(({ passes }) => new Uint8Array(passes.length));
  for (let at = 0; at < leavers.count; at++) if (leavers.ends[at] > 0) isIn[leavers.slots[at]][leavers.rows[at]] = 1;
  const slots = lit.slots.map((it, at) => ({ ...it, passes: isIn[at] }));
  const [group] = faultGroups(slots, lit.scope);
  if (!group) return null;
  const overTime = new Array<number>(BINS).fill(0);
  const width = (lit.scope.toMs - lit.scope.fromMs) / BINS;
  const beginOf = lit.slots.map(({ visits }) => codesOf(visits, 'at').values);
  for (let leaver = 0; leaver < leavers.count; leaver++) {
    if (leavers.ends[leaver] === 0) continue;
    const slot = leavers.slots[leaver];
    const at = lit.slots[slot].fromMs + beginOf[slot][leavers.rows[leaver]];
    overTime[Math.min(BINS - 1, Math.max(0, Math.floor((at - lit.scope.fromMs) / width)))]++;
  }
  const { kind, name, stack, times, firstMs, session } = group;
  return { kind, name, stack, times, firstMs, session, overTime };
}
