import { atRank } from '../../columns/atRank.ts';
import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { STEP_CRASH, STEP_ERROR, STEP_WORKED } from '../visitColumns.ts';
import type { FunnelStep, Passages } from './passages.ts';

/** Why visitors left, by what came before; `none` when nothing did. */
export const REASONS = ['crash', 'error', 'slow', 'none'] as const;
export type Reason = (typeof REASONS)[number];

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

/** What visits were like step by step. A visit that left after a crash, error or long waiting left for that; the first of these counts. */
export function funnelOf(passages: Passages, steps: number): StepFigures[] {
  const { count, reached: reachedBy } = passages;
  const after = new Uint32Array(count);
  const waits = new Uint32Array(count);
  return Array.from({ length: steps }, (_, step) => {
    let [reached, wentOn] = [0, 0];
    for (let at = 0; at < count; at++) {
      if (reachedBy[at] <= step) continue;
      reached++;
      if (reachedBy[at] === step + 1) continue;
      waits[wentOn] = passages.waits[step][at];
      after[wentOn++] = passages.between[step][at];
    }
    const slowMs = wentOn >= LEAST_FOR_SLOW ? quantile(waits.subarray(0, wentOn), 0.95) : Number.NaN;
    const left: Record<Reason, number> = { crash: 0, error: 0, slow: 0, none: 0 };
    if (step < steps - 1)
      for (let at = 0; at < count; at++) if (reachedBy[at] === step + 1) left[reasonOf(passages, at, slowMs)]++;
    return { reached, wentOn, left, medianMs: quantile(after.subarray(0, wentOn), 0.5), slowMs };
  });
}

/** Why the visit of a passage left. @param slowMs see `StepFigures` */
export function reasonOf({ ends, waitedMs }: Passages, at: number, slowMs: number): Reason {
  if (ends[at] & STEP_CRASH) return 'crash';
  if (ends[at] & STEP_ERROR) return 'error';
  return waitedMs[at] > slowMs ? 'slow' : 'none';
}

function quantile(values: Uint32Array, q: number): number {
  if (values.length === 0) return Number.NaN;
  return atRank(values, Math.max(0, Math.ceil(q * values.length) - 1));
}

/** Steps that are proposed, and what share of visits has to take one. */
const PROPOSED = 5;
const LEAST_SHARE = 0.04;
const MOST_NAMES = 2_000;

/** What most visitors press, and what most press after that, in the order in which they do: the steps of a journey when none are chosen. */
export function usualSteps(slots: readonly NarrowedSlot[], scope: VisitScope): FunnelStep[] {
  const seen = new Map<string, { visits: number; places: number }>();
  let visits = 0;
  for (const it of slots) {
    const begin = codesOf(it.visits, 'at').values;
    const { items, offsets, texts } = listsOf(it.visits, 'step');
    const flags = listsOf(it.visits, 'stepFlags').items;
    const isAction = Uint8Array.from(texts, (text) => (text.startsWith(ACTION) ? 1 : 0));
    const counts = new Uint32Array(texts.length);
    const places = new Uint32Array(texts.length);
    const seenBy = new Uint32Array(texts.length);
    for (let row = 0; row < it.visits.rows; row++) {
      const time = it.fromMs + begin[row];
      if (!it.passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      visits++;
      let place = 0;
      for (let item = offsets[row]; item < offsets[row + 1]; item++) {
        const code = items[item];
        if (!(flags[item] & STEP_WORKED) || !isAction[code] || seenBy[code] === row + 1) continue;
        seenBy[code] = row + 1;
        counts[code]++;
        places[code] += place++;
      }
    }
    for (const [code, text] of texts.entries()) {
      if (counts[code] === 0) continue;
      const known = seen.get(text) ?? { visits: 0, places: 0 };
      if (seen.size < MOST_NAMES) seen.set(text, known);
      known.visits += counts[code];
      known.places += places[code];
    }
  }
  const frequent = [...seen]
    .map(([text, it]) => ({ name: text.slice(ACTION.length), visits: it.visits, place: it.places / it.visits }))
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

const ACTION = 'action ';

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
