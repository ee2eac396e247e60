import { quickselect } from 'd3-array';
import { type Codes, codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { STEP_CRASH, STEP_ERROR, STEP_WORKED } from '../visitColumns.ts';

/** A step of a journey: a page that is seen, or something pressed. */
export interface FunnelStep {
  readonly kind: 'page' | 'action';
  readonly name: string;
}

/** Why visitors left, by what came before; `none` when nothing did. */
export const REASONS = ['crash', 'error', 'slow', 'none'] as const;
export type Reason = (typeof REASONS)[number];

/** How a visit went through the steps. */
export interface Passage {
  /** Steps that were reached. */
  readonly reached: number;
  /** Milliseconds from each step to the next, one fewer than reached, and the longest waiting on the way. */
  readonly between: readonly number[];
  readonly waits: readonly number[];
  /** What happened at the last step that was reached, before the visit ended. */
  readonly crashed: boolean;
  readonly failed: boolean;
  /** The longest that the visitor waited for an answer or a page between that step and the end, milliseconds. */
  readonly waitedMs: number;
}

/** What visits were like at one step. */
export interface StepFigures {
  readonly reached: number;
  readonly wentOn: number;
  readonly left: Readonly<Record<Reason, number>>;
  /** Median from this step to the next, milliseconds; NaN of none. */
  readonly medianMs: number;
  /** Longest waiting, on the way to the next step, that only one in twenty of those who went on exceeded: above it, who left was slow. */
  readonly slowMs: number;
}

/** Fewer who went on do not say what is slow. */
const LEAST_FOR_SLOW = 20;

/** The steps of all visits of a segment, one after the other. */
interface StepColumns {
  /** Which step of the funnel it is, -1 for none. */
  readonly codes: Int16Array;
  /** Milliseconds since the visit began; 1 + milliseconds it took; see `STEP_WORKED`. */
  readonly at: Codes;
  readonly took: Codes;
  readonly flags: Codes;
}

/** Most visits go no further than the first step: they share it. */
const NOTHING: readonly number[] = [];

/**
 * One visit through the steps: the first match of each in order, within a time after the first.
 *
 * @param from, to where its steps stand in the columns
 */
function passageOf(
  wanted: number,
  { codes, at, took, flags }: StepColumns,
  from: number,
  to: number,
  withinMs: number,
): Passage | undefined {
  let item = from;
  // A press without an effect is an attempt, not a step.
  while (item < to && !(codes[item] === 0 && flags[item] & STEP_WORKED)) item++;
  if (item === to) return undefined;
  let between = NOTHING;
  let waits = NOTHING;
  const first = at[item];
  let [reached, place, longest] = [1, item, took[item]];
  for (item++; item < to && reached < wanted; item++) {
    if (codes[item] === reached && flags[item] & STEP_WORKED) {
      if (at[item] - first > withinMs) break;
      between = [...between, at[item] - at[place]];
      waits = [...waits, Math.max(0, longest - 1)];
      reached++;
      place = item;
      longest = 0;
    }
    if (took[item] > longest) longest = took[item];
  }
  let [crashed, failed, waited] = [false, false, 0];
  for (item = place; item < to; item++) {
    if (flags[item] & STEP_CRASH) crashed = true;
    if (flags[item] & STEP_ERROR) failed = true;
    if (took[item] > waited) waited = took[item];
  }
  return { reached, between, waits, crashed, failed, waitedMs: Math.max(0, waited - 1) };
}

export interface FunnelOptions {
  readonly steps: readonly FunnelStep[];
  /** All steps are done within so long after the first. */
  readonly withinMs: number;
  /** Passages are counted once a visit, or once a user: then the visit counts that came farthest. */
  readonly per: 'visit' | 'user';
}

/** A passage, and of which group it is. */
interface GroupedPassage {
  readonly passage: Passage;
  readonly slot: number;
  readonly row: number;
}

/** Passages of the visits that began in the window and reached the first step. */
export function passages(
  slots: readonly NarrowedSlot[],
  scope: VisitScope,
  { steps, withinMs, per }: FunnelOptions,
): GroupedPassage[] {
  const found: GroupedPassage[] = [];
  const placeOfUser = new Map<string, number>();
  for (const [slot, it] of slots.entries()) {
    const begin = codesOf(it.visits, 'at').values;
    const step = listsOf(it.visits, 'step');
    const [at, took, flags] = ['stepAt', 'stepTook', 'stepFlags'].map((name) => listsOf(it.visits, name).items);
    const texts = new Map(steps.map(({ kind, name }, index) => [`${kind} ${name}`, index]));
    const codeOf = Int16Array.from(step.texts, (text) => texts.get(text) ?? -1);
    const columns = { codes: Int16Array.from(step.items, (code) => codeOf[code]), at, took, flags };
    const user = codesOf(it.visits, 'user');
    for (let row = 0; row < it.visits.rows; row++) {
      const time = it.fromMs + begin[row];
      if (!it.passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const passage = passageOf(steps.length, columns, step.offsets[row], step.offsets[row + 1], withinMs);
      if (!passage) continue;
      const name = per === 'user' ? user.texts[user.values[row] - 1] : undefined;
      const known = name === undefined ? undefined : placeOfUser.get(name);
      if (known === undefined) {
        if (name !== undefined) placeOfUser.set(name, found.length);
        found.push({ passage, slot, row });
      } else if (found[known].passage.reached < passage.reached) found[known] = { passage, slot, row };
    }
  }
  return found;
}

/** What visits were like step by step. A visit that left after a crash, error or long waiting left for that; the first of these counts. */
export function funnelOf(passages: readonly Passage[], steps: number): StepFigures[] {
  return Array.from({ length: steps }, (_, step) => {
    let [reached, wentOn] = [0, 0];
    const after = new Float64Array(passages.length);
    const waits = new Float64Array(passages.length);
    for (const it of passages) {
      if (it.reached <= step) continue;
      reached++;
      if (it.reached === step + 1) continue;
      waits[wentOn] = it.waits[step];
      after[wentOn++] = it.between[step];
    }
    const slowMs = wentOn >= LEAST_FOR_SLOW ? quantile(waits.subarray(0, wentOn), 0.95) : Number.NaN;
    const left: Record<Reason, number> = { crash: 0, error: 0, slow: 0, none: 0 };
    if (step < steps - 1) for (const it of passages) if (it.reached === step + 1) left[reasonOf(it, slowMs)]++;
    return { reached, wentOn, left, medianMs: quantile(after.subarray(0, wentOn), 0.5), slowMs };
  });
}

/** @param slowMs see `StepFigures` */
export function reasonOf({ crashed, failed, waitedMs }: Passage, slowMs: number): Reason {
  if (crashed) return 'crash';
  if (failed) return 'error';
  return waitedMs > slowMs ? 'slow' : 'none';
}

function quantile(values: Float64Array, q: number): number {
  if (values.length === 0) return Number.NaN;
  const place = Math.max(0, Math.ceil(q * values.length) - 1);
  return quickselect(values, place)[place];
}

/** Steps that are proposed, and what share of visits has to take one. */
const PROPOSED = 5;
const LEAST_SHARE = 0.04;

/** What most visitors press, and what most press after that, in the order in which they do: the steps of a journey when none are chosen. */
export function usualSteps(slots: readonly NarrowedSlot[], scope: VisitScope): FunnelStep[] {
  const seen = new Map<string, { visits: number; places: number }>();
  let visits = 0;
  for (const it of slots) {
    const begin = codesOf(it.visits, 'at').values;
    const step = listsOf(it.visits, 'step');
    const flags = listsOf(it.visits, 'stepFlags').items;
    for (let row = 0; row < it.visits.rows; row++) {
      const time = it.fromMs + begin[row];
      if (!it.passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      visits++;
      const own = new Set<number>();
      for (let item = step.offsets[row]; item < step.offsets[row + 1]; item++) {
        if (flags[item] & STEP_WORKED && step.texts[step.items[item]].startsWith('action ')) own.add(step.items[item]);
      }
      for (const [place, code] of [...own].entries()) {
        const text = step.texts[code];
        const known = seen.get(text) ?? { visits: 0, places: 0 };
        if (seen.size < 2_000) seen.set(text, known);
        known.visits++;
        known.places += place;
      }
    }
  }
  const frequent = [...seen]
    .map(([text, it]) => ({ name: text.slice('action '.length), visits: it.visits, place: it.places / it.visits }))
    .filter((it) => it.visits >= LEAST_SHARE * visits)
    .sort((a, b) => b.visits - a.visits);
  // What some do before that is no step that all go through.
  const [first] = frequent;
  return frequent
    .filter((it) => it === first || it.place > first.place)
    .slice(0, PROPOSED)
    .sort((a, b) => a.place - b.place)
    .map(({ name }) => ({ kind: 'action', name }));
}

/** Steps as text: `action:search>page:/pay`, each part percent-encoded. */
export function stepsText(steps: readonly FunnelStep[]): string {
  return steps.map(({ kind, name }) => `${kind}:${encodeURIComponent(name)}`).join('>');
}

const MOST_STEPS = 10;

/** The steps that a text has; undefined when it is none. */
export function parseSteps(text: string): FunnelStep[] | undefined {
  if (text === '') return [];
  const found: FunnelStep[] = [];
  for (const part of text.split('>')) {
    const match = /^\s*(page|action):(.+?)\s*$/s.exec(part);
    if (!match || found.length >= MOST_STEPS) return undefined;
    try {
      found.push({ kind: match[1] as FunnelStep['kind'], name: decodeURIComponent(match[2]) });
    } catch {
      return undefined;
    }
  }
  return found;
}
