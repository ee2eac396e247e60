import { emptySketch, mergeInto, quantiles } from '../measures/sketch.ts';
import type { CallSeries, MinuteOfCalls, ShiftMeasure } from './callSeries.ts';
import { beginOfChange, endOfChange } from './changePoint.ts';
import { type Mark, Usual } from './usual.ts';

/** A stretch in which a measure of an operation was worse than usual. */
export interface Shift {
  readonly measure: ShiftMeasure;
  /** Minutes since 1970-01-01: its beginning, the minute at whose end it was found, the last minute in which it was seen. */
  readonly firstMinute: number;
  /** The range in which it began 95 times of 100: minutes, both inclusive. */
  readonly beginsFrom: number;
  readonly beginsTo: number;
  /** How much likelier the calls are with it than without, as a logarithm. */
  readonly evidence: number;
  readonly foundMinute: number;
  readonly lastMinute: number;
  /** The measure as it was and as it is: nanoseconds, or a share of calls. */
  readonly usual: number;
  readonly shifted: number;
}

/** Stretches over which calls are looked at together, so that operations called seldom are judged too, only later. */
const WINDOWS = [2, 4, 8, 16, 40] as const;
const LONGEST = WINDOWS[WINDOWS.length - 1];
/** How far beyond the usual, in robust standard deviations. */
const FAR = 4;
/** Failures are at least a point more. */
const POINT = 0.01;
/** What goes on longer than this has become usual. */
const NEW_USUAL = 720;
/** A shift has ended when it was not seen for so long. */
const OVER_AFTER = 20;
/** What is usual is worked out anew every so many minutes. */
const ANEW = 10;
/**
 * Finds when an operation was worse than usual. For each minute the calls of the last minutes are held against the day before without what was
 * flagged there: how many failed, how many took over 1.25 times the usual median, over 1.25 times the usual p95. A share is flagged when it
 * lies at least four standard deviations above the usual one, chance and the usual unrest (by the median absolute deviation of
 * ten-minute shares) taken together, in at least three different minutes. Its beginning is the most likely change
 * point of the marked calls.
 */
export function findShifts({ firstMinute, minutes }: CallSeries): Shift[] {
  const flagged = new Uint8Array(minutes.length);
  const found: Shift[] = [];
  const usual = new Usual(minutes);
  const watched = MEASURES.map(
    (measure) => ({ measure, counts: new Counts(minutes), running: undefined, closed: -1 }) as Watched,
  );
  let markedAt = Number.NEGATIVE_INFINITY;
  const close = (it: Watched) => {
    found.push(finished(it, firstMinute, flagged));
    it.closed = Math.min(minutes.length - 1, it.running!.last + OVER_AFTER);
    it.running = undefined;
  };
  for (let at = 0; at < minutes.length; at++) {
    if (at - markedAt >= ANEW) {
      usual.advance(at, flagged);
      const marks = usual.marks(at);
      for (const it of watched) it.counts.take(marks?.[it.measure]);
      markedAt = at;
    }
    for (const it of watched) {
      const { counts, running } = it;
      const { mark } = counts;
      if (!mark) continue;
      // What is over is not found again; what is on must be seen over the time it was found in.
      const longest = running ? Math.max(running.window, WINDOWS[2]) : Math.min(LONGEST, at - it.closed);
      const seen = isFlagged(counts, at, mark, longest);
      if (seen) {
        const shifted = measured(minutes, running ? running.begin : at - seen + 1, at, it.measure);
        if (running) {
          running.last = at;
          running.shifted = shifted;
        } else {
          // The marks of a shift before are none of this one.
          const most = Math.min(2 * LONGEST, at - it.closed - 1);
          const begin = at - beginOfChange(counts.latestFirst(at, most), mark.share).back;
          it.running = { begin, found: at, last: at, window: seen, usual: mark.usual, shifted };
          // What went before the finding is not usual either; it is kept out from now on.
          flagged.fill(1, begin, at);
          usual.anew();
        }
        flagged[at] = 1;
      } else if (running && at - running.last >= OVER_AFTER) close(it);
      else if (running) flagged[at] = 1;
      if (it.running && at - it.running.begin >= NEW_USUAL) {
        flagged.fill(0, it.running.begin, at + 1);
        close(it);
        usual.anew();
        markedAt = Number.NEGATIVE_INFINITY;
      }
    }
  }
  for (const it of watched) if (it.running) close(it);
  return found.sort((a, b) => a.firstMinute - b.firstMinute);
}

const MEASURES = ['failures', 'p50', 'p95'] as const;

interface Watched {
  readonly measure: ShiftMeasure;
  readonly counts: Counts;
  running: Running | undefined;
  /** The minute at which the shift before was found to be over. */
  closed: number;
}

interface Running {
  readonly begin: number;
  readonly found: number;
  last: number;
  /** Over how many minutes it was found; it goes on as long as it is seen over that many. */
  readonly window: number;
  readonly usual: number;
  shifted: number;
}

function finished({ measure, counts, running, closed }: Watched, firstMinute: number, flagged: Uint8Array): Shift {
  const { found, last, usual, shifted } = running!;
  const refined = refinedBegin(counts, running!, closed);
  const { begin, earliest, latest, evidence } =
    measure === 'failures' ? gradualBegin(counts, refined, found, closed, flagged) : refined;
  // It is seen for as long as the stretch that it was found in still holds some of it; it was over when its marks had become usual.
  const share = counts.mark?.share;
  const over = share === undefined ? 0 : endOfChange(counts.latestFirst(last, last - begin), share).back;
  return {
    measure,
    firstMinute: firstMinute + begin,
    beginsFrom: firstMinute + earliest,
    beginsTo: firstMinute + latest,
    evidence,
    foundMinute: firstMinute + found,
    lastMinute: firstMinute + Math.max(begin, last - over),
    usual,
    shifted,
  };
}

/** When something began, and the range in which it did: indices of minutes. */
interface Begin {
  readonly begin: number;
  readonly earliest: number;
  readonly latest: number;
  readonly evidence: number;
}

/** Of what came after it was found, so many minutes help to say when it began. */
const REFINED_BY = 20;

/** When it began, by all that is known by now: when it was found only its first minutes were. */
function refinedBegin(counts: Counts, { begin, found, last }: Running, closed: number): Begin {
  const share = counts.mark?.share;
  const to = Math.max(found, Math.min(last, begin + REFINED_BY));
  if (share === undefined) return { begin, earliest: begin, latest: begin, evidence: 0 };
  const { back, least, most, evidence } = beginOfChange(counts.latestFirst(to, Math.min(2 * LONGEST, to - closed - 1)), share);
  if (evidence === 0) return { begin, earliest: begin, latest: begin, evidence };
  // It can't have begun after it was found.
  const refined = Math.min(to - back, found);
  return {
    begin: refined,
    earliest: Math.min(refined, to - most),
    latest: Math.max(refined, Math.min(found, to - least)),
    evidence,
  };
}

/** What came within so many minutes before it seems to have begun may be a part of it already, where it began with a few; so far back it is looked for. */
const GRADUAL = 60;
const GRADUAL_BACK = 240;
/** It may have begun so many times earlier than it seemed. */
const GRADUAL_STEPS = 6;
/** Calls that tell what was usual before. */
const ENOUGH_CALLS = 40;

/**
 * When failures began that came gradually, a version that more and more devices get, say: when so many fail that it is found, the first of
 * them have become a part of what is usual. So what is usual is told without the hour before, for as long as this makes it begin earlier.
 */
function gradualBegin(counts: Counts, refined: Begin, found: number, closed: number, flagged: Uint8Array): Begin {
  let is = refined;
  const to = Math.max(found, refined.latest);
  for (let step = 0; step < GRADUAL_STEPS && is.evidence > 0; step++) {
    let calls = 0;
    let marked = 0;
    for (let at = Math.max(0, is.begin - 1440); at < is.begin - GRADUAL; at++) {
      if (flagged[at]) continue;
      calls += counts.calls(at);
      marked += counts.marked(at);
    }
    if (calls < ENOUGH_CALLS) return is;
    const share = (marked + 0.5) / (calls + 1);
    const { back, least, most, evidence } = beginOfChange(
      counts.latestFirst(to, Math.min(to - is.begin + GRADUAL_BACK, to - closed - 1)),
      share,
    );
    const begin = to - back;
    if (begin >= is.begin) return is;
    is = { begin, earliest: to - most, latest: Math.max(begin, Math.min(found, to - least)), evidence };
  }
  return is;
}

type Minutes = CallSeries['minutes'];

/** Marked calls by the minute under one mark, each minute counted once. */
class Counts {
  readonly #minutes: Minutes;
  /** -1 where a minute was not counted yet. */
  readonly #marked: Int32Array;
  #mark: Mark | undefined;

  constructor(minutes: Minutes) {
    this.#minutes = minutes;
    this.#marked = new Int32Array(minutes.length).fill(-1);
  }

  get mark(): Mark | undefined {
    return this.#mark;
  }

  take(mark: Mark | undefined): void {
    if (mark?.bucket !== this.#mark?.bucket) this.#marked.fill(-1);
    this.#mark = mark;
  }

  calls(at: number): number {
    return this.#minutes[at]?.calls ?? 0;
  }

  marked(at: number): number {
    if (this.#marked[at] < 0) {
      const minute = this.#minutes[at];
      this.#marked[at] = minute && this.#mark ? markedIn(minute, this.#mark) : 0;
    }
    return this.#marked[at];
  }

  /** Calls and marked calls by the minute, the latest first. */
  latestFirst(at: number, most: number): { calls: number; marked: number }[] {
    const counts: { calls: number; marked: number }[] = [];
    for (let back = 0; back <= Math.min(at, most); back++)
      counts.push({ calls: this.calls(at - back), marked: this.marked(at - back) });
    return counts;
  }
}

function markedIn(minute: MinuteOfCalls, { measure, bucket }: { measure: ShiftMeasure; bucket: number }): number {
  if (measure === 'failures') return minute.failures;
  let over = 0;
  for (const [at, times] of minute.sketch.buckets) if (at >= bucket) over += times;
  return over;
}

/** Over how many of the last minutes a measure is worse than usual; 0 when it is not. */
function isFlagged(counts: Counts, at: number, mark: Mark, longest: number): number {
  let calls = 0;
  let marked = 0;
  let minutesMarked = 0;
  for (let back = 0; back < longest && back <= at; back++) {
    const count = counts.marked(at - back);
    calls += counts.calls(at - back);
    marked += count;
    if (count > mark.share * counts.calls(at - back)) minutesMarked++;
    const length = back + 1;
    if (!(WINDOWS as readonly number[]).includes(length)) continue;
    // An operation called seldom needs the longer stretches, and so does what is no matter of many calls.
    const isShort = length === WINDOWS[0];
    if (calls < 8 || marked < (isShort ? 6 : 4) || minutesMarked < (isShort ? 2 : 3)) continue;
    const excess = marked - calls * mark.share;
    const deviation = Math.sqrt(calls * mark.share * (1 - mark.share) + calls ** 2 * mark.variance);
    const share = marked / calls;
    const isWorse = mark.measure === 'failures' ? share >= mark.share + POINT : share > (mark.measure === 'p50' ? 0.5 : 0.05);
    // With few calls a deviation says little: a chance of the tail below one in a hundred thousand is asked for as well.
    if (isWorse && excess >= FAR * deviation && tail(calls, mark.share, marked) < (isShort ? 1e-7 : 1e-6)) return length;
  }
  return 0;
}

/** An upper bound of the chance that of `n` calls at least `k` are marked by chance (Chernoff, Hoeffding 1963, theorem 1). */
function tail(n: number, p: number, k: number): number {
  const a = k / n;
  if (a <= p) return 1;
  const divergence = a * Math.log(a / p) + (a < 1 ? (1 - a) * Math.log((1 - a) / (1 - p)) : 0);
  return Math.exp(-n * divergence);
}

/** A measure over some minutes, both inclusive. */
function measured(minutes: Minutes, from: number, to: number, measure: ShiftMeasure): number {
  const all = emptySketch();
  let calls = 0;
  let failures = 0;
  for (let at = Math.max(0, from); at <= to; at++) {
    const minute = minutes[at];
    if (!minute) continue;
    calls += minute.calls;
    failures += minute.failures;
    if (measure !== 'failures') mergeInto(all, minute.sketch);
  }
  if (measure === 'failures') return calls === 0 ? 0 : failures / calls;
  return quantiles(all, [measure === 'p50' ? 0.5 : 0.95])[0] ?? 0;
}
