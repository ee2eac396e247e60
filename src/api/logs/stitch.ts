import { z } from 'zod';
import { CommonFacts } from '../../core/logs/stitch/common.ts';
import type { Thread } from '../../core/logs/stitch/groups.ts';
import { nameOf, type StitchKey } from '../../core/logs/stitch/keys.ts';
import { type Deviation, type LoomStep, type Stitched, stitch, usualSteps } from '../../core/logs/stitch/loom.ts';
import { piecesOf } from '../../core/logs/template.ts';
import { storedShapes } from '../../store/logs/shapes.ts';
import { addFacts, groupLines, type StepBy, stitchKeys } from '../../store/logs/stitchLines.ts';
import { expectReadings } from '../../store/scope/progress.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { lineParameters, lineScope } from './question.ts';

export type LogStitch = z.output<typeof logStitch.answer>;

const HOWS = ['late', 'never', 'twice', 'order'] as const;
const pieces = z.array(z.union([z.string(), z.object({ hole: z.number() })]));

const classAnswer = z.object({
  id: z.string(),
  how: z.enum(HOWS),
  at: z.number(),
  groups: z.number(),
  from: z.number().nullable().meta({ description: 'How long it took, milliseconds, from the quickest tenth to the slowest.' }),
  to: z.number().nullable(),
  firstAt: z.number(),
  lastAt: z.number(),
});
const commonAnswer = z.object({
  kind: z.enum(['shape', 'attribute']),
  name: z.string(),
  value: z.string(),
  pieces: pieces.nullable(),
  chosen: z.number(),
  others: z.number(),
});
const keyAnswer = z.object({
  name: z.string(),
  words: z.string(),
  joined: z.number(),
  values: z.number(),
  services: z.number(),
  shapes: z.number(),
  sample: z.string(),
});

export const logStitch = endpoint({
  path: '/api/logs/stitch',
  least: 'reader',
  summary:
    'Lines stitched by a key into the steps that each of its values goes through: which are late, missing, repeated, and what those have in common.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    ...lineParameters,
    key: z.string().max(200).optional().meta({ description: 'The name of a key that was proposed; the best when absent.' }),
    step: z.string().max(200).default('shape').meta({ description: 'shape, or a field of lines whose value is the step.' }),
    chosen: z
      .string()
      .regex(/^(late|never|twice|order)\.\d{1,2}\.\d{1,2}$/)
      .optional()
      .meta({
        description:
          'What is asked about: how and at which step, such as late.4.0, an id among `classes`; the most frequent when absent.',
      }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    keys: z.array(keyAnswer),
    key: z.string().nullable(),
    usualIs: z
      .enum(['before', 'lit'])
      .meta({ description: 'Which groups say what is usual: those before, or, with too few, the lit ones themselves.' }),
    groups: z.number(),
    off: z.number().meta({ description: 'Groups in which something is not as usual.' }),
    leftOut: z.number().meta({ description: 'Lines of values beyond the number of groups that are held.' }),
    steps: z.array(
      z.object({
        step: z.string(),
        pieces,
        service: z.string(),
        after: z.number().meta({ description: 'Index of the step that it follows; -1 for none.' }),
        usual: z
          .object({ median: z.number(), low: z.number(), high: z.number() })
          .nullable()
          .meta({ description: 'Milliseconds since the step that it follows.' }),
        share: z.number(),
        late: z.number(),
        never: z.number(),
        twice: z.number(),
        order: z.number(),
      }),
    ),
    classes: z.array(classAnswer),
    chosen: z.string().nullable(),
    common: z.array(commonAnswer),
    commonOf: z.object({ chosen: z.number(), others: z.number() }),
    threads: z.array(
      z.object({
        key: z.string(),
        at: z.number().meta({ description: 'When it began, epoch milliseconds.' }),
        since: z.array(z.number().nullable()).meta({ description: 'By step the milliseconds since the step before.' }),
        off: z.array(z.object({ how: z.enum(HOWS), at: z.number() })),
        isChosen: z.boolean(),
      }),
    ),
  }),
  run: async ({ text, severity, shape, without, key: wanted, step, chosen: asked, ...query }, { signal }) => {
    const { lit, before } = await windowsOf(query);
    const narrowing = { text, severity, shape, without };
    const [litScope, beforeScope] = [lineScope(lit, narrowing), lineScope(before, narrowing)];
    // Keys are looked for, both windows grouped, and what the chosen have in common is read.
    expectReadings(4);
    const keys = await stitchKeys(litScope, { signal });
    const key = keys.find(({ name }) => name === wanted) ?? keys[0];
    const shown = {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      keys: await describeKeys(keys.slice(0, MOST_KEYS)),
    };
    if (!key) return { ...shown, ...NOTHING };
    const by: StepBy = step === 'shape' ? 'shape' : { field: step };
    const now = await groupLines(litScope, key, by, { signal });
    const then = await groupLines(beforeScope, key, by, { signal });
    const threads = now.groups.threads();
    const earlier = numbered(then.groups.threads(), then.groups.steps, now.groups.steps);
    // A group that began before the window is not whole.
    const isBefore = earlier.length >= LEAST_GROUPS;
    const reference = isBefore ? earlier : threads;
    const serviceOf = (name: string) => now.services.get(name) ?? then.services.get(name) ?? '';
    const steps = usualSteps(reference, (number) => serviceOf(now.groups.steps[number]));
    const endMs = Number(lit.to / 1_000_000n);
    const stitched = stitch(threads, steps, reference, endMs).filter(({ first }) => [...first].some((it) => !Number.isNaN(it)));
    const classes = classesOf(stitched);
    const chosen = classes.find(({ id }) => id === asked) ?? classes[0];
    const isChosen = (it: Stitched) => chosen !== undefined && isOf(chosen, it);
    const facts = chosen
      ? await factsOf(litScope, key, stitched, isChosen, signal)
      : { common: [], commonOf: { chosen: 0, others: 0 } };
    return {
      ...shown,
      key: key.name,
      usualIs: isBefore ? ('before' as const) : ('lit' as const),
      groups: stitched.length,
      off: stitched.filter(({ deviations }) => deviations.length > 0).length,
      leftOut: now.groups.leftOut,
      steps: await describeSteps(steps, now.groups.steps, by, stitched, serviceOf),
      classes,
      chosen: chosen?.id ?? null,
      ...facts,
      threads: sampled(stitched, isChosen).map((it) => ({
        key: it.key,
        at: beginOf(it),
        since: [...it.since].map((ms) => (Number.isNaN(ms) ? null : ms)),
        off: it.deviations.map(({ how, at }) => ({ how, at })),
        isChosen: isChosen(it),
      })),
    };
  },
});

const NOTHING = {
  key: null,
  usualIs: 'lit' as const,
  groups: 0,
  off: 0,
  leftOut: 0,
  steps: [],
  classes: [],
  chosen: null,
  common: [],
  commonOf: { chosen: 0, others: 0 },
  threads: [],
};

const MOST_KEYS = 8;
const LEAST_GROUPS = 40;
/** Threads that are drawn: of those that are not as usual, and of the others. */
const MOST_OFF = 400;
const MOST_USUAL = 160;
/** Of the chosen, and of the others, that are compared with each other. */
const MOST_COMPARED = 3_000;
const MOST_COMMON = 12;

/** Threads with the steps numbered as in other groups; steps that those do not have are numbered after them. */
function numbered(threads: readonly Thread[], own: readonly string[], others: string[]): Thread[] {
  const known = new Map(others.map((name, at) => [name, at]));
  const to = own.map((name) => {
    let at = known.get(name);
    if (at === undefined) {
      at = others.length;
      others.push(name);
      known.set(name, at);
    }
    return at;
  });
  return threads.map((it) => ({ ...it, steps: it.steps.map((step) => to[step]) }));
}

type Class = z.output<typeof classAnswer>;

/** Times that lie further apart than this are of different kinds: a minute in a queue, and an hour behind a lock. */
const APART = 2.5;
const LEAST_OF_A_KIND = 3;

/** What is not as usual, by how and where, and by how late; what weighs most first. */
function classesOf(stitched: readonly Stitched[]): Class[] {
  const found = new Map<string, { how: Deviation['how']; at: number; of: Stitched[] }>();
  for (const it of stitched)
    for (const { how, at } of it.deviations) {
      const id = `${how}.${at}`;
      const known = found.get(id) ?? { how, at, of: [] };
      found.set(id, known);
      known.of.push(it);
    }
  return [...found]
    .flatMap(([id, { how, at, of }]) => {
      const parts = how === 'late' ? apart(of, at) : [of];
      return parts.map((part, kind) => {
        const sinces = part
          .map(({ since }) => since[at])
          .filter((ms) => ms >= 0)
          .sort((a, b) => a - b);
        const began = part.map(beginOf);
        return {
          id: `${id}.${kind}`,
          how,
          at,
          groups: part.length,
          from: sinces[0] ?? null,
          to: sinces.at(-1) ?? null,
          firstAt: Math.min(...began),
          lastAt: Math.max(...began),
        };
      });
    })
    .sort((a, b) => weightOf(b) - weightOf(a));
}

/** What never comes weighs as if it came after so long. */
const NEVER_MS = 6 * 3_600_000;

/** Few that are an hour late say more than many that are a second late. */
function weightOf({ how, groups, from, to }: Class): number {
  const ms = how === 'never' ? NEVER_MS : how === 'late' ? Math.sqrt(Math.max(1, from ?? 1) * Math.max(1, to ?? 1)) : 1_000;
  return Math.log(Math.max(10, ms)) ** 2 * Math.log2(1 + groups);
}

/** Late ones by how late: apart where there is a gap between those that are less late and those that are more. */
function apart(of: readonly Stitched[], at: number): Stitched[][] {
  const sorted = [...of].sort((a, b) => a.since[at] - b.since[at]);
  const parts: Stitched[][] = [[]];
  for (const [index, it] of sorted.entries()) {
    const gap = index > 0 && it.since[at] > APART * sorted[index - 1].since[at];
    if (gap && parts.at(-1)!.length >= LEAST_OF_A_KIND && sorted.length - index >= LEAST_OF_A_KIND) parts.push([]);
    parts.at(-1)!.push(it);
  }
  return parts;
}

function isOf({ how, at, from, to }: Class, { deviations, since }: Stitched): boolean {
  if (!deviations.some((it) => it.how === how && it.at === at)) return false;
  return how !== 'late' || (since[at] >= (from ?? 0) && since[at] <= (to ?? Number.POSITIVE_INFINITY));
}

function beginOf({ first }: Stitched): number {
  return Math.min(...first.filter((at) => !Number.isNaN(at)));
}

async function factsOf(
  scope: Parameters<typeof addFacts>[1],
  key: StitchKey,
  stitched: readonly Stitched[],
  isChosen: (it: Stitched) => boolean,
  signal: AbortSignal | undefined,
): Promise<{ common: z.output<typeof commonAnswer>[]; commonOf: { chosen: number; others: number } }> {
  const chosen = stitched.filter(isChosen).slice(0, MOST_COMPARED);
  const others = stitched.filter((it) => !isChosen(it)).slice(0, MOST_COMPARED);
  const facts = new CommonFacts(chosen.length, others.length);
  const of = new Map([...others.map((it) => [it.key, false] as const), ...chosen.map((it) => [it.key, true] as const)]);
  await addFacts(facts, scope, key, of, { signal });
  const { shapes } = await storedShapes();
  return {
    common: facts
      .found()
      .slice(0, MOST_COMMON)
      .map((it) => ({ ...it, pieces: it.kind === 'shape' ? piecesOf(shapes.get(it.value)?.template ?? [it.value]) : null })),
    commonOf: { chosen: chosen.length, others: others.length },
  };
}

async function describeKeys(keys: readonly StitchKey[]): Promise<z.output<typeof keyAnswer>[]> {
  const { shapes } = await storedShapes();
  return keys.map(({ name, sources, joined, values, services, shapes: of, sample }) => {
    const [source] = sources;
    const template = 'shape' in source ? shapes.get(source.shape)?.template : undefined;
    const words = name === nameOf(source) && template ? `in “${template.join('').replaceAll('\u0001', '…').slice(0, 60)}”` : name;
    return { name, words, joined, values, services, shapes: of, sample };
  });
}

async function describeSteps(
  steps: readonly LoomStep[],
  names: readonly string[],
  by: StepBy,
  stitched: readonly Stitched[],
  serviceOf: (name: string) => string,
) {
  const { shapes } = await storedShapes();
  const counts = new Map<string, number>();
  for (const { deviations } of stitched)
    for (const key of new Set(deviations.map(({ how, at }) => `${how} ${at}`))) counts.set(key, (counts.get(key) ?? 0) + 1);
  const count = (how: Deviation['how'], at: number) => counts.get(`${how} ${at}`) ?? 0;
  return steps.map(({ step, usual, share, after }, at) => {
    const name = names[step];
    const template = by === 'shape' ? shapes.get(name)?.template : undefined;
    return {
      step: name,
      pieces: template ? piecesOf(template) : [name],
      service: serviceOf(name),
      after,
      usual,
      share,
      late: count('late', at),
      never: count('never', at),
      twice: count('twice', at),
      order: count('order', at),
    };
  });
}

/** Threads that are drawn: the chosen ones, others that are not as usual, and some of the usual ones, evenly over time. */
function sampled(stitched: readonly Stitched[], isChosen: (it: Stitched) => boolean): Stitched[] {
  const chosen = stitched.filter(isChosen).slice(0, MOST_OFF);
  const off = stitched.filter((it) => it.deviations.length > 0 && !isChosen(it)).slice(0, MOST_OFF - chosen.length);
  const usual = stitched.filter(({ deviations }) => deviations.length === 0);
  const every = Math.max(1, usual.length / MOST_USUAL);
  const some = Array.from({ length: Math.min(MOST_USUAL, usual.length) }, (_, at) => usual[Math.floor(at * every)]);
  return [...some, ...off, ...chosen];
}
