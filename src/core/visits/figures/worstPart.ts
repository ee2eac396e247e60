import { codesOf } from '../../columns/segment.ts';
import { upperTail } from '../../verdict/betaBinomial.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { type AtAGlance, LEAST_LOADS, notablyLonger, tooMany } from '../worse.ts';
import type { VisitCounts } from './appsIn.ts';
import { viewRows } from './pageFigures.ts';
import { ValueCounts } from './valueCounts.ts';

/** A part of a window, epoch milliseconds; `toMs` is exclusive. */
export interface VisitPart {
  readonly fromMs: number;
  readonly toMs: number;
}

/** What is known of the time before. */
export interface VisitsBefore {
  readonly counts: Pick<VisitCounts, 'visits' | 'struggling' | 'crashed'>;
  readonly ready: ValueCounts;
}

/** Shorter windows are looked at as a whole. */
const SHORTEST_MS = 3 * 3_600_000;
/** Windows are looked at in so many steps, … */
const STEPS = 48;
/** … of which so many in a row at least are worse, … */
const FEWEST = 2;
/** … and at most such a share of them: what lasts longer is the window. */
const LARGEST_SHARE = 0.5;
/** How likely it may be by chance that any of all parts is as bad. */
const BY_CHANCE = 0.01;

/** What is counted in a step: all, and those that are worse than is usual. */
interface Step {
  visits: number;
  struggling: number;
  crashed: number;
  readonly ready: ValueCounts;
}

type Measure = 'slow' | 'struggling' | 'crashed';
const MEASURES: readonly Measure[] = ['slow', 'struggling', 'crashed'];

/**
 * The part of a long window in which visitors had the worst time: what two hours of a day did is hidden in the figures of the day. Steps in a row,
 * each of them slower or with more visits that crash or struggle than before by enough to be worth a word, and together beyond
 * chance (binomial, all parts that were looked at counted); of several the one that harmed most. Undefined where there is none, where the window is
 * short, or where it is worse throughout.
 */
export function worstVisits(slots: readonly NarrowedSlot[], scope: VisitScope, before: VisitsBefore): VisitPart | undefined {
  const { fromMs, toMs } = scope;
  if (toMs - fromMs < SHORTEST_MS || before.counts.visits < LEAST_LOADS) return undefined;
  const width = (toMs - fromMs) / STEPS;
  const steps = stepsOf(slots, scope, width);
  let best: { readonly from: number; readonly to: number; readonly harm: number } | undefined;
  for (const measure of MEASURES) {
    const usual = usualOf(measure, before);
    if (!usual) continue;
    const counted = steps.map((it) => countOf(measure, it, usual.boundMs));
    const isWorse = ({ of, marked }: Counted) => of >= FEWEST_IN_STEP && marked > usual.share * of && marked / of > usual.tooMuch;
    for (let from = 0; from < STEPS; from++) {
      if (!isWorse(counted[from])) continue;
      let to = from;
      let [of, marked] = [0, 0];
      while (to < STEPS && isWorse(counted[to])) {
        of += counted[to].of;
        marked += counted[to++].marked;
      }
      const harm = marked - usual.share * of;
      const isSure = ((STEPS * STEPS * MEASURES.length) / 2) * upperTail(marked, of, usual.share, 1) <= BY_CHANCE;
      if (to - from >= FEWEST && isSure && (!best || harm > best.harm)) best = { from, to, harm };
      from = to;
    }
  }
  if (!best || best.to - best.from > LARGEST_SHARE * STEPS) return undefined;
  return { fromMs: fromMs + best.from * width, toMs: fromMs + best.to * width };
}

/** Of fewer a share says too little. */
const FEWEST_IN_STEP = 8;

interface Counted {
  readonly of: number;
  readonly marked: number;
}

function countOf(measure: Measure, { visits, struggling, crashed, ready }: Step, boundMs: number): Counted {
  if (measure === 'slow') return { of: ready.total, marked: ready.total - ready.upTo(boundMs) };
  return { of: visits, marked: measure === 'struggling' ? struggling : crashed };
}

/** What share is marked as a rule, and beyond which it is worth a word: a quarter of loads that take longer is a longer p75. */
function usualOf(measure: Measure, { counts, ready }: VisitsBefore) {
  const part = (marked: number, of: number) => (marked + 0.5) / (of + 1);
  if (measure === 'slow') {
    if (ready.total < LEAST_LOADS) return undefined;
    const boundMs = notablyLonger(ready.quantile(0.75));
    return { boundMs, share: part(ready.total - ready.upTo(boundMs), ready.total), tooMuch: 0.25 };
  }
  const marked = measure === 'struggling' ? counts.struggling : counts.crashed;
  const tooMuch = measure === 'struggling' ? tooMany.struggle(counts) : tooMany.crash(counts);
  return { boundMs: 0, share: Math.min(0.9, part(marked, counts.visits)), tooMuch };
}

function stepsOf(slots: readonly NarrowedSlot[], scope: VisitScope, width: number): Step[] {
  const steps = Array.from({ length: STEPS }, (): Step => ({ visits: 0, struggling: 0, crashed: 0, ready: new ValueCounts() }));
  for (const slot of slots) {
    const { fromMs, visits, views, passes } = slot;
    const column = (name: string) => codesOf(visits, name).values;
    const [begin, crashes, knocking, unanswered, turned] = ['at', 'crashes', 'knocking', 'no answer', 'turned away'].map(column);
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + begin[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const step = steps[Math.min(STEPS - 1, Math.floor((time - scope.fromMs) / width))];
      step.visits++;
      if (crashes[row] > 0) step.crashed++;
      if (knocking[row] + unanswered[row] + turned[row] > 0) step.struggling++;
    }
    const [visit, at, ready] = ['visit', 'at', 'ready'].map((name) => codesOf(views, name).values);
    const rows = viewRows(slot, scope);
    for (let place = 0; place < rows.length; place++) {
      const row = rows[place];
      if (ready[row] === 0) continue;
      const time = fromMs + begin[visit[row]] + at[row];
      steps[Math.min(STEPS - 1, Math.floor((time - scope.fromMs) / width))].ready.add(Math.round((ready[row] - 1) / 1_000));
    }
  }
  return steps;
}

/** What the visits of a part came to, for a sentence about it. */
export function glanceAt(counts: Pick<VisitCounts, 'visits' | 'struggling' | 'crashed'>, ready: ValueCounts): AtAGlance {
  const p75 = ready.quantile(0.75);
  const { visits, struggling, crashed } = counts;
  return { visits, struggling, crashed, p75: Number.isFinite(p75) ? p75 : null, loads: ready.total };
}
