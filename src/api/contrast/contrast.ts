import { setImmediate as breathe } from 'node:timers/promises';
import { z } from 'zod';
import { type Contrast, contrast as contrastOf, type Row } from '../../core/contrast/contrast.ts';
import { type Evaluated, evaluate } from '../../core/contrast/evaluate.ts';
import { conditionsOf, type RequestSet, setKey } from '../../core/contrast/requests/requestSet.ts';
import { expectedOf, type Layer, stacksOf, without } from '../../core/contrast/stack.ts';
import { OPERATORS } from '../../core/scope/condition.ts';
import { describeWindow, windowAnswer } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { contrastParameters, HOWS, populationsOf, setParameters } from './question.ts';
import { rememberContrast } from './remember.ts';

export type ContrastAnswer = z.output<typeof contrast.answer>;
export type ContrastRow = ContrastAnswer['rows'][number];

const conditions = z.array(z.object({ field: z.string(), operator: z.enum(OPERATORS), values: z.array(z.string()) }));
const set = z.object({
  key: z.string().meta({ description: 'The conditions as text, as `peeled` takes them.' }),
  facets: z.array(
    z.object({
      field: z.string(),
      service: z.string().nullable(),
      values: z.array(z.string()),
      least: z.number().nullable(),
      most: z.number().nullable(),
    }),
  ),
  where: conditions.meta({ description: 'The conditions that narrow to it.' }),
});
export type ContrastSet = z.output<typeof set>;

const figures = {
  requests: z.object({ a: z.number(), b: z.number() }),
  amount: z.number().meta({ description: 'Of what there is to explain, in its unit.' }),
  range: z.tuple([z.number(), z.number()]).meta({ description: 'In which it lies 95 times in 100.' }),
  behaviour: z.number().meta({ description: 'The part of requests that behave otherwise than in B.' }),
  mix: z.number().meta({ description: 'The part of there being more of them.' }),
};
const spread = z.array(z.tuple([z.number(), z.number(), z.number()])).meta({
  description: 'Thirds of an octave of nanoseconds, with the requests of A and of B.',
});
const row = z.object({
  ...set.shape,
  ...figures,
  chance: z.number().meta({ description: 'That it is nothing.' }),
  sure: z.boolean(),
  along: z.boolean().meta({ description: 'Whether it explains nothing of what the first row leaves.' }),
  twins: z.array(set),
  containedIn: z.array(set),
  means: z.object({
    withA: z.number().nullable(),
    withB: z.number().nullable(),
    withoutA: z.number().nullable(),
    withoutB: z.number().nullable(),
  }),
  withSet: spread,
  withoutSet: spread,
  firstAt: z.number().nullable(),
  users: z.int(),
  examples: z.array(z.string()),
  ofWhole: z.object(figures).nullable().meta({ description: 'What it explains before anything was taken off.' }),
});
const layer = z.object({ ...set.shape, ...figures, left: z.number() });

export const contrast = endpoint({
  path: '/api/contrast',
  least: 'reader',
  summary:
    'What sets the requests of one population apart from those of another: by attributes, pairs of them and numbers, with how sure that is.',
  runs: 'analysis',
  query: z.strictObject({ ...contrastParameters, ...setParameters }),
  answer: z.object({
    how: z.enum(HOWS),
    outcome: z.enum(['duration', 'failures']),
    byOutcome: z.boolean(),
    swapped: z.boolean().meta({ description: 'Whether A and B have changed places.' }),
    overNs: z.number().nullable(),
    lit: windowAnswer,
    before: windowAnswer,
    of: z.int().meta({ description: 'Requests of both populations.' }),
    read: z.int().meta({ description: 'Of how many of them this is.' }),
    enough: z.boolean(),
    a: z.object({ requests: z.number(), mean: z.number().nullable() }),
    b: z.object({ requests: z.number(), mean: z.number().nullable() }),
    difference: z.number().meta({ description: 'Mean of A less mean of B.' }),
    mixOfEntries: z.number().meta({ description: 'The part of it that comes of other entries being asked for.' }),
    toExplain: z.number().meta({ description: 'What rows explain parts of, before anything is taken off.' }),
    toExplainRange: z.tuple([z.number(), z.number()]).meta({ description: 'In which it lies 95 times in 100.' }),
    left: z.number().meta({ description: 'What is left of it after what was taken off.' }),
    rows: z.array(row),
    maybe: z.array(row).meta({ description: 'Rows that may be nothing.' }),
    also: z
      .array(z.object({ key: z.string(), ...figures }))
      .meta({ description: 'What the sets of `also` explain of what is left.' }),
    ruledOut: z.array(z.object({ field: z.string(), service: z.string().nullable(), values: z.int(), atMost: z.number() })),
    coincides: z.array(set),
    looked: z.int(),
    stack: z.array(layer),
    kept: z.array(z.array(layer)),
  }),
  remember: rememberContrast,
  run: async (question, { signal }) => {
    const { windows, kind, overNs, rows } = await populationsOf(question, signal);
    const { peeled = [], also = [], kept = [] } = question;
    const isPeeled = peeled.length > 0;
    const isStacked = isPeeled || kept.length > 0;
    const expected = isStacked ? await expectedOf(rows.source, kind) : undefined;
    const left = without(rows.source, peeled);
    const found = await contrastOf(left, kind, { signal, breathe, expected });
    const ofWhole = isPeeled ? await evaluate(rows.source, kind, setsOf(found), expected) : [];
    const [stack, ...others] = expected
      ? await stacksOf(rows.source, kind, [peeled, ...kept], expected)
      : [{ whole: found.toExplain, layers: [] }];
    const toExplain = isStacked ? stack.whole : found.toExplain;
    const { nA, nB, sumA, sumB } = found.totals;
    return {
      how: question.how,
      outcome: kind.outcome,
      byOutcome: kind.byOutcome,
      swapped: question.swap === 'yes',
      overNs,
      lit: describeWindow(windows.lit),
      before: describeWindow(windows.before),
      of: rows.requests,
      read: rows.read,
      enough: found.enough,
      a: { requests: nA, mean: nA > 0 ? sumA / nA : null },
      b: { requests: nB, mean: nB > 0 ? sumB / nB : null },
      difference: found.difference,
      mixOfEntries: found.mixOfEntries,
      toExplain,
      toExplainRange: finite(found.toExplainRange),
      left: isPeeled ? (stack.layers.at(-1)?.left ?? toExplain) : toExplain,
      rows: found.rows.map((it) => describeRow(it, ofWhole)),
      maybe: found.maybe.map((it) => describeRow(it, ofWhole)),
      also: (await evaluate(left, kind, also, expected)).map(({ key, ...it }) => ({ key, ...describeFigures(it) })),
      ruledOut: found.ruledOut.map(({ facet, ...it }) => ({ ...facet, ...it })),
      coincides: found.coincides.map(describeSet),
      looked: found.looked,
      stack: stack.layers.map(describeLayer),
      kept: others.map(({ layers }) => layers.map(describeLayer)),
    };
  },
});

function setsOf({ rows, maybe }: Contrast): RequestSet[] {
  return [...rows, ...maybe].map((it) => it.set);
}

function describeSet(it: RequestSet): ContrastSet {
  return {
    key: setKey(it),
    facets: it.map((clause) => ({
      ...clause.facet,
      values: 'values' in clause ? [...clause.values] : [],
      least: 'least' in clause ? clause.least : null,
      most: 'most' in clause ? clause.most : null,
    })),
    where: conditionsOf(it).map(({ field, operator, values }) => ({ field, operator, values: [...values] })),
  };
}

/** JSON has no infinity: a range that is not known is as wide as numbers go. */
function finite([from, to]: readonly [number, number]): [number, number] {
  const most = Number.MAX_VALUE;
  return [Math.max(-most, from), Math.min(most, to)];
}

function describeFigures({ amount, range, behaviour, mix, totals }: Omit<Evaluated, 'key'>) {
  return { requests: { a: totals.nA, b: totals.nB }, amount, range: finite(range), behaviour, mix };
}

function describeRow(it: Row, ofWhole: readonly Evaluated[]): z.input<typeof row> {
  const whole = ofWhole.find(({ key }) => key === it.key);
  const { means, withSet, withoutSet, firstMinute, users, examples } = it.detail;
  return {
    ...describeSet(it.set),
    ...describeFigures(it),
    chance: it.chance,
    sure: it.sure,
    along: it.along,
    twins: it.twins.map(describeSet),
    containedIn: it.containedIn.map(describeSet),
    means,
    withSet: withSet.map(([bin, a, b]) => [bin, a, b]),
    withoutSet: withoutSet.map(([bin, a, b]) => [bin, a, b]),
    firstAt: firstMinute === null ? null : firstMinute * 60_000,
    users,
    examples: [...examples],
    ofWhole: whole ? describeFigures(whole) : null,
  };
}

function describeLayer({ set: of, amount, behaviour, mix, left, requests }: Layer): z.input<typeof layer> {
  return { ...describeSet(of), requests: { ...requests }, amount, range: [amount, amount], behaviour, mix, left };
}
