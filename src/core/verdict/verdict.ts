import { boundOfFindings } from './benjaminiHochberg.ts';
import { upperTail } from './betaBinomial.ts';
import type { CallBlocks } from './callBlocks.ts';
import { moreToTell } from './moreToTell.ts';
import { sumsOf, widened } from './stretches.ts';
import { usualShare } from './usualShare.ts';

export type Measure = 'failures' | 'p95' | 'p50';
/** failing: more requests fail; strained: they are slower; perhaps: one of both, not beyond doubt; unknown: too few to say anything. */
export type State = 'calm' | 'perhaps' | 'strained' | 'failing' | 'unknown';
/** What the lit calls were held against: those before, the rest of the lit window itself, or nothing. */
export type Basis = 'before' | 'within' | 'none';

/** When it was worst, and how it was then: durations in nanoseconds, or a share of calls. */
export interface WorstStretch {
  /** Minutes since 1970-01-01; the end is exclusive. */
  readonly fromMinute: number;
  readonly toMinute: number;
  readonly usual: number;
  readonly shifted: number;
  readonly calls: number;
}

/** What is said of a journey or a service, on every page alike. */
export interface Verdict {
  readonly state: State;
  /** What got worse; absent when nothing did. */
  readonly changed?: Measure;
  readonly basis: Basis;
  /** Given when it was worse in a part of the lit window only. */
  readonly worst?: WorstStretch;
  /** Of a `perhaps`: about how many calls more would tell. */
  readonly moreCalls?: number;
}

/** The calls of a journey or a service. */
export interface RowCalls {
  readonly lit: CallBlocks;
  readonly before: CallBlocks;
  /** What an open incident has shown of it already. */
  readonly known?: readonly Measure[];
  /** What was promised: a share of requests that go well, within some nanoseconds. It judges where there is nothing to hold against. */
  readonly objective?: { readonly share: number; readonly withinNs?: number };
}

/** Of what is said to be worse, at most this share is so by chance. */
const FALSE_SHARE = 0.01;
/** A chance below which something may be. */
const PERHAPS = 0.05;
/** What is worse by less is no matter: a point of failures, a quarter in time, and not less than anybody notices. */
const POINT = 0.01;
const WORSE = 1.25;
const NOTABLE_NS = 5e6;
/** Of fewer calls it can't be said that all is as before; of fewer than the least, nothing. */
const ENOUGH = 12;
const LEAST = 6;
/** The calls before must be at least this share of the lit ones. */
const LEAST_REFERENCE = 0.3;
/** Of the rest of a window it can be said how it is when there are so many blocks of it. */
const ENOUGH_BLOCKS = 12;
/** Without anything to hold it against, this share of failures is no longer well. */
const TOO_MANY_FAIL = 0.02;
/** Stretches that are judged, in minutes, beside the whole window. */
const STRETCHES = [3, 5, 10, 60] as const;
/** Measures that each row is judged by. */
const MEASURES = ['failures', 'p95', 'p50'] as const;

/**
 * Judges rows that stand side by side: what was lit against what was before, by its worst stretch. A row is worse when calls that failed, or
 * that took over 1.25 times the usual p95 or median, are more than chance and the usual unrest explain (exact beta-binomial tests; all
 * stretches and measures of a row counted, then Benjamini-Hochberg at 1 % over the rows), and by enough to matter. The rows are to be the
 * same on every page: all journeys of a scope, or all services.
 */
export function verdicts(rows: readonly RowCalls[]): Verdict[] {
  const findings = rows.map(findingsOf);
  const judged = findings.filter((it) => it.basis !== 'none');
  const bound = boundOfFindings(
    judged.map((it) => Math.min(1, ...it.found.map(({ chance }) => chance))),
    FALSE_SHARE,
  );
  return findings.map((it, at) => verdictOf(it, bound, rows[at], judged.length));
}

/** The least likely stretch of one measure, of those in which the change is large enough. */
interface Finding {
  readonly measure: Measure;
  /** How likely it is by chance, all stretches and measures that were looked at counted. */
  readonly chance: number;
  /** Blocks, inclusive. */
  readonly first: number;
  readonly last: number;
  readonly share: number;
  readonly usualShare: number;
  readonly unrest: number;
  readonly usual: number;
  /** Whether all of the window has changed by enough, but in too few calls to tell it from chance. */
  readonly isUnclear: boolean;
}

interface Findings {
  readonly basis: Basis;
  readonly found: readonly Finding[];
  /** Without anything to hold against: what is bad by itself. */
  readonly bad?: Measure;
  /** There were too few calls to say that nothing was found. */
  readonly isFew?: boolean;
}

function findingsOf({ lit, before, objective }: RowCalls): Findings {
  const calls = sum(lit.blocks.map((it) => it.calls));
  const callsBefore = sum(before.blocks.map((it) => it.calls));
  if (calls < LEAST) return { basis: 'none', found: [] };
  const isFew = calls < ENOUGH;
  // What most of a few calls show beyond chance is shown all the same: the tests are exact.
  if (hasReference(calls, callsBefore)) return { basis: 'before', found: heldAgainst(lit, before), isFew };
  if (isFew) return { basis: 'none', found: [] };
  const bad = failsTooOften(lit) ? 'failures' : objective && missed(lit, objective);
  if (lit.blocks.length < ENOUGH_BLOCKS) return { basis: 'none', found: [], bad };
  return { basis: 'within', found: heldAgainst(lit, lit), bad };
}

/** Whether there were enough calls before to say what is usual. */
export function hasReference(calls: number, before: number): boolean {
  return before >= Math.max(ENOUGH, LEAST_REFERENCE * calls);
}

/** Whether the failures alone show that it is not well: 2 % and more, and not by a chance of one in a hundred at half of that. */
function failsTooOften({ blocks }: CallBlocks): boolean {
  const [calls, failures] = [sum(blocks.map((it) => it.calls)), sum(blocks.map((it) => it.failures))];
  return failures / calls >= TOO_MANY_FAIL && upperTail(failures, calls, TOO_MANY_FAIL / 2, 1) <= FALSE_SHARE;
}

/** By what an objective is missed beyond chance: by failures, or by requests that take too long; undefined when it is kept. */
function missed(lit: CallBlocks, { share, withinNs }: NonNullable<RowCalls['objective']>): Measure | undefined {
  const [calls, failures] = [sum(lit.blocks.map((it) => it.calls)), sum(lit.blocks.map((it) => it.failures))];
  const slow = withinNs === undefined ? 0 : sum(lit.over([withinNs])[0]);
  const allowed = Math.max(1e-6, 1 - share);
  const isMissed = (count: number) => upperTail(count, calls, allowed, 1) <= FALSE_SHARE;
  if (isMissed(failures)) return 'failures';
  // One that failed and was slow counts once.
  return isMissed(Math.max(slow, failures)) ? 'p95' : undefined;
}

/** @param before the same as `lit` when a stretch is to be held against the rest of its window */
function heldAgainst(lit: CallBlocks, before: CallBlocks): Finding[] {
  const [p50, p95] = before.quantiles(0, before.blocks.length - 1, [0.5, 0.95]).map((it) => it ?? 0);
  const bounds = [p95, p50].map((it) => Math.max(it * WORSE, it + NOTABLE_NS));
  const [over95, over50] = lit.over(bounds);
  const [before95, before50] = before === lit ? [over95, over50] : before.over(bounds);
  const failures = lit.blocks.map((it) => it.failures);
  const failuresBefore = before.blocks.map((it) => it.failures);
  const marked = { failures, p95: over95, p50: over50 };
  const markedBefore = { failures: failuresBefore, p95: before95, p50: before50 };
  const usual = { failures: 0, p95, p50 };
  const callsBefore = before.blocks.map((it) => it.calls);
  const calls = sumsOf(lit.blocks.map((it) => it.calls));
  const stretches = stretchesOf(lit, before === lit);
  return MEASURES.flatMap((measure): Finding[] => {
    const whole = usualShare(callsBefore, markedBefore[measure]);
    const sums = sumsOf(marked[measure]);
    let best: Finding | undefined;
    let isUnclear = false;
    for (const [first, last] of stretches) {
      const n = calls[last + 1] - calls[first];
      const k = sums[last + 1] - sums[first];
      const share = k / n;
      if (n < LEAST || k < 3 || share <= whole.share) continue;
      const isWhole = first === 0 && last === lit.blocks.length - 1;
      // Half of what is allowed is for the window as a whole, half for all parts of it together.
      const looks = MEASURES.length * (stretches.length === 1 ? 1 : isWhole ? 2 : 2 * stretches.length);
      // Unrest only makes it likelier: what is likely without it need not be looked at more closely, which takes long within a long window.
      const rest = before === lit ? { k: sums[sums.length - 1] - k, n: calls[calls.length - 1] - n } : undefined;
      const restShare = rest ? (rest.k + 0.5) / (rest.n + 1) : whole.share;
      if (looks * upperTail(k, n, restShare, 1) >= (best?.chance ?? 1) && !isWhole) continue;
      // Within one window the stretch is held against all that is not in it.
      const reference =
        before === lit ? usualShare(without(callsBefore, first, last), without(marked[measure], first, last)) : whole;
      const isEnough = measure === 'failures' ? share - reference.share >= POINT : share >= (measure === 'p95' ? 0.05 : 0.5);
      if (!isEnough) continue;
      const unrest = reference.unrest(last - first + 1);
      const chance = Math.min(1, looks * upperTail(k, n, reference.share, unrest + n / (reference.calls + 1)));
      if (isWhole) isUnclear = upperTail(k, n, reference.share, 1 + n / (reference.calls + 1)) > PERHAPS;
      if (best && best.chance <= chance) continue;
      const usualValue = measure === 'failures' ? reference.share : usual[measure];
      best = { measure, chance, first, last, share, usualShare: reference.share, unrest, usual: usualValue, isUnclear };
    }
    return best ? [{ ...best, isUnclear }] : [];
  });
}

function without(counts: readonly number[], first: number, last: number): number[] {
  return [...counts.slice(0, first), ...counts.slice(last + 1)];
}

/** First and last block of each stretch that is judged. */
function stretchesOf({ step, blocks }: CallBlocks, isWithin: boolean): [number, number][] {
  const stretches: [number, number][] = isWithin ? [] : [[0, blocks.length - 1]];
  // Where blocks are long, several of the lengths are one block.
  for (const length of new Set(STRETCHES.map((minutes) => Math.max(1, Math.round(minutes / step))))) {
    if (length >= blocks.length || (isWithin && length > blocks.length / 2)) continue;
    for (let first = 0; first + length <= blocks.length; first++) stretches.push([first, first + length - 1]);
  }
  return stretches;
}

function verdictOf({ basis, found, bad, isFew }: Findings, bound: number, { lit, known = [] }: RowCalls, rows: number): Verdict {
  const isSure = ({ measure, chance }: Finding) => chance <= bound || (known.includes(measure) && chance <= PERHAPS);
  const sure = found.find(isSure);
  if (sure) {
    const worst = worstStretch(sure, lit);
    return { state: sure.measure === 'failures' ? 'failing' : 'strained', changed: sure.measure, basis, ...(worst && { worst }) };
  }
  if (bad) return { state: bad === 'failures' ? 'failing' : 'strained', changed: bad, basis: 'none' };
  if (basis === 'none') return { state: 'unknown', basis };
  const perhaps = found.filter(({ chance }) => chance <= PERHAPS).sort((a, b) => a.chance - b.chance)[0];
  if (!perhaps && isFew) return { state: 'unknown', basis: 'none' };
  if (!perhaps) return { state: found.some((it) => it.isUnclear) ? 'unknown' : 'calm', basis };
  const { measure, share, usualShare: usual, unrest, first, last } = perhaps;
  const have = sum(lit.blocks.slice(first, last + 1).map((it) => it.calls));
  const needed = moreToTell(usual, share, unrest, FALSE_SHARE / (rows * MEASURES.length));
  const worst = worstStretch(perhaps, lit);
  return {
    state: 'perhaps',
    changed: measure,
    basis,
    ...(needed > have && { moreCalls: Math.ceil(needed - have) }),
    ...(worst && { worst }),
  };
}

/** The stretch, as long as it is worse; undefined when that is most of the window. */
function worstStretch({ measure, first, last, share, usualShare: usual, usual: value }: Finding, lit: CallBlocks) {
  const { blocks, step } = lit;
  const bound = measure === 'failures' ? undefined : Math.max(value * WORSE, value + NOTABLE_NS);
  const marked = bound === undefined ? blocks.map((it) => it.failures) : lit.over([bound])[0];
  const [from, to] = widened(
    blocks.map((it) => it.calls),
    marked,
    [first, last],
    (share + usual) / 2,
  );
  if (to - from + 1 > MOST_OF_WINDOW * blocks.length) return undefined;
  const within = blocks.slice(from, to + 1);
  const calls = sum(within.map((it) => it.calls));
  const [quantile] = measure === 'failures' ? [] : lit.quantiles(from, to, [measure === 'p95' ? 0.95 : 0.5]);
  return {
    fromMinute: blocks[from].at,
    toMinute: blocks[to].at + step,
    usual: value,
    shifted: quantile ?? sum(within.map((it) => it.failures)) / calls,
    calls,
  };
}

/** What lasts longer is the window itself. */
const MOST_OF_WINDOW = 0.7;

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, it) => total + it, 0);
}
