import { z } from 'zod';
import type { Kind } from '../../core/contrast/judge.ts';
import { type RequestSet, setOf } from '../../core/contrast/requests/requestSet.ts';
import { DurationSample, kneeOf } from '../../core/contrast/statistics/knee.ts';
import { type Condition, isPattern } from '../../core/scope/condition.ts';
import { parseCondition, parsePattern, splitConditions } from '../../core/scope/conditionText.ts';
import { earlier, later } from '../../core/time/moments.ts';
import { type ContrastRows, type ContrastSides, contrastRows } from '../../store/requests/contrastRows.ts';
import type { Side } from '../../store/requests/contrastSides.ts';
import { eachEntered } from '../../store/requests/eachEntered.ts';
import { entryFigures } from '../../store/rollups/entryFigures.ts';
import { expectReadings } from '../../store/scope/progress.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { ApiError } from '../endpoint.ts';
import { conditionsText, isoTime } from '../parameters.ts';

/** How the two populations are chosen. */
export const HOWS = ['slow', 'failed', 'before', 'sets'] as const;
export type How = (typeof HOWS)[number];

/** Sets that are peeled off one after the other, and stacks of them, at most. */
const MOST_SETS = 12;
const MOST_STACKS = 6;

const setsText = z.string().transform((text, context): RequestSet[] => {
  const sets = readSets(text);
  if (typeof sets !== 'string') return sets;
  context.addIssue({ code: 'custom', message: sets });
  return z.NEVER;
});

/** Sets as JSON: a list of texts, each conditions as in the address of a page. */
function readSets(text: string): RequestSet[] | string {
  const list = parsed(text);
  if (!Array.isArray(list) || list.some((it) => typeof it !== 'string')) return 'a JSON list of texts is expected';
  if (list.length > MOST_SETS) return `${list.length} sets, ${MOST_SETS} at most`;
  const sets: RequestSet[] = [];
  for (const one of list as string[]) {
    const conditions: Condition[] = [];
    for (const part of splitConditions(one)) {
      const read = parseCondition(part);
      if (typeof read === 'string') return read;
      conditions.push(read);
    }
    const set = conditions.length > 0 ? setOf(conditions) : undefined;
    if (!set) return `"${one.slice(0, 80)}" cannot be taken off: it must say "is", "at least" or "at most" of an attribute`;
    sets.push(set);
  }
  return sets;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

const stacksText = z.string().transform((text, context): RequestSet[][] => {
  const list = parsed(text);
  if (Array.isArray(list) && list.length <= MOST_STACKS) {
    const stacks = list.map((it) => readSets(JSON.stringify(it)));
    const fault = stacks.find((it) => typeof it === 'string');
    if (fault === undefined) return stacks as RequestSet[][];
    context.addIssue({ code: 'custom', message: fault });
    return z.NEVER;
  }
  context.addIssue({ code: 'custom', message: `a JSON list of at most ${MOST_STACKS} lists of sets is expected` });
  return z.NEVER;
});

export const contrastParameters = {
  ...comparisonParameters,
  how: z.enum(HOWS).default('before').meta({
    description:
      'slow: the slow ones against the rest; failed: those that failed against those that did not; before: lit against before; sets: a against b.',
  }),
  over: z.coerce.number().positive().max(1e15).optional().meta({
    description: 'From how many nanoseconds on a request is slow; found by itself when absent.',
  }),
  a: conditionsText.optional().meta({ description: 'With how=sets: conditions that the requests of A fit beside the scope’s.' }),
  b: conditionsText.optional().meta({ description: 'With how=sets: those of B; all the rest of the scope when absent.' }),
  aFrom: isoTime.optional().meta({ description: 'A part of the lit window from which A is taken.' }),
  aTo: isoTime.optional(),
  outcome: z.enum(['auto', 'duration', 'failures']).default('auto').meta({
    description: 'What the two are held against each other by. Durations are of requests that went well.',
  }),
  swap: z.enum(['yes', 'no']).default('no').meta({ description: 'Whether A and B change places.' }),
  peeled: setsText.optional().meta({
    description: 'Sets that are taken off, one after the other: JSON, a list of texts such as "ferry.route is tern-marram".',
  }),
  quick: z
    .enum(['yes', 'no'])
    .default('no')
    .meta({ description: 'yes: from a sample of 20 000 requests, with its uncertainty.' }),
};

const parameters = z.strictObject(contrastParameters);
export const setParameters = { also: setsText.optional(), kept: stacksText.optional() };
export type ContrastQuestion = z.output<typeof parameters>;

const READINGS = 6;
/** Requests that are read of both sides together, and for a first answer. */
const MOST = 400_000;
const QUICK = 20_000;

/** The two populations that a question means. */
export interface Populations {
  readonly windows: { readonly lit: Window; readonly before: Window };
  readonly sides: ContrastSides;
  readonly kind: Kind;
  /** From how many nanoseconds on requests are slow; null where that does not part them. */
  readonly overNs: number | null;
  readonly rows: ContrastRows;
}

/** @throws ApiError for what cannot be contrasted */
export async function populationsOf(question: ContrastQuestion, signal?: AbortSignal): Promise<Populations> {
  const { how, over, a, b, aFrom, aTo, outcome: asked, swap, quick } = question;
  const windows = await windowsOf(comparisonOf(question));
  const { lit, before } = windows;
  const within: Window = { ...lit, from: later(aFrom ?? lit.from, lit.from), to: earlier(aTo ?? lit.to, lit.to) };
  if (within.to <= within.from) throw new ApiError(400, 'aFrom, aTo: the part that A is taken from lies outside the lit window');
  const overNs = how === 'slow' ? (over ?? (await kneeIn(lit))) : null;
  const outcome = asked === 'auto' ? await outcomeOf(how, windows) : asked;
  const parted = partedBy(how, { lit, before, within, a, b, overNs });
  const sides: ContrastSides = {
    ...parted,
    swapped: swap === 'yes',
    outcome: how === 'slow' ? 'duration' : how === 'failed' ? 'failures' : outcome,
  };
  const isQuick = quick === 'yes';
  // Each side is read twice: to find its requests, then to gather them. Judging them takes about as long as two more readings.
  expectReadings(READINGS);
  const rows = await contrastRows(sides, { most: isQuick ? QUICK : MOST, isQuick, signal });
  const kind: Kind = {
    byOutcome: how === 'slow' || how === 'failed' || (how === 'sets' && (a ?? []).some(isOutcome)),
    outcome: sides.outcome,
    mostWeight: rows.mostWeight,
  };
  return { windows, sides, kind, overNs, rows };
}

/** The part of a question that every comparison has: the scope, and what it is held against. */
export function comparisonOf({
  from,
  to,
  before,
  service,
  operation,
  entry,
  minDurationMs,
  maxDurationMs,
  failed,
  where,
  clockOutOfRange,
}: ContrastQuestion) {
  return { from, to, before, service, operation, entry, minDurationMs, maxDurationMs, failed, where, clockOutOfRange };
}

/** Whether a condition chooses requests by how they ended: by the whole request, or by one of its spans. */
function isOutcome({ field, operator, values }: Condition): boolean {
  if (field === 'duration' || field === 'failed') return true;
  const pattern = isPattern(operator) ? parsePattern(values[0]) : [];
  return typeof pattern !== 'string' && pattern.some(({ conditions }) => conditions.some(isOutcome));
}

interface Parting {
  readonly lit: Window;
  readonly before: Window;
  readonly within: Window;
  readonly a: readonly Condition[] | undefined;
  readonly b: readonly Condition[] | undefined;
  readonly overNs: number | null;
}

function partedBy(how: How, { lit, before, within, a = [], b = [], overNs }: Parting): { readonly a: Side; readonly b: Side } {
  const also = (window: Window, conditions: readonly Condition[]): Window => ({
    ...window,
    where: [...(window.where ?? []), ...conditions],
  });
  switch (how) {
    case 'slow':
      return { a: { filter: within, atLeastNs: overNs ?? Number.POSITIVE_INFINITY }, b: { filter: lit } };
    case 'failed':
      return { a: { filter: within, failed: true }, b: { filter: lit, failed: false } };
    case 'before':
      return { a: { filter: within }, b: { filter: before } };
    case 'sets':
      return { a: { filter: also(within, a) }, b: { filter: also(lit, b) } };
  }
}

async function kneeIn(window: Window): Promise<number | null> {
  const durations = new DurationSample();
  await eachEntered(window, (_, __, ns, failed) => {
    if (!failed) durations.add(ns);
  });
  return kneeOf(durations.taken()) ?? null;
}

/** Failing more is looked at before being slower when it is beyond chance and worth it. */
const MORE_FAILURES = 0.02;
const BEYOND_CHANCE = 5;

async function outcomeOf(how: How, { lit, before }: Populations['windows']): Promise<Kind['outcome']> {
  if (how !== 'before') return 'duration';
  const [now, then] = [await failingIn(lit), await failingIn(before)];
  const more = now.share - then.share;
  const error = Math.sqrt(
    ((now.share + 1 / now.n) * (1 - now.share)) / now.n + ((then.share + 1 / then.n) * (1 - then.share)) / then.n,
  );
  return more > MORE_FAILURES && more > BEYOND_CHANCE * error ? 'failures' : 'duration';
}

async function failingIn(window: Window): Promise<{ n: number; share: number }> {
  const figures = [...(await entryFigures(window)).values()];
  const n = figures.reduce((sum, { calls }) => sum + calls, 0);
  const failing = figures.reduce((sum, { failures }) => sum + failures, 0);
  return { n: Math.max(1, n), share: failing / Math.max(1, n) };
}
