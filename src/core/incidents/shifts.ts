import { emptySketch, mergeInto, quantiles, type Sketch } from '../measures/sketch.ts';
import { beginOfChange } from './changePoint.ts';

/** What happened to an operation within a minute. */
export interface MinuteOfCalls {
  readonly calls: number;
  readonly failures: number;
  /** Durations of all calls, nanoseconds. */
  readonly sketch: Sketch;
}

/** An operation by the minute, without gaps; null where nothing was called. */
export interface CallSeries {
  /** Minutes since 1970-01-01 of the first entry. */
  readonly firstMinute: number;
  readonly minutes: readonly (MinuteOfCalls | null)[];
}

export type ShiftMeasure = 'failures' | 'p50' | 'p95';

/** A stretch in which a measure of an operation was worse than usual. */
export interface Shift {
  readonly measure: ShiftMeasure;
  /** Minutes since 1970-01-01: its beginning, the minute at whose end it was found, the last minute in which it was seen. */
  readonly firstMinute: number;
  readonly foundMinute: number;
  readonly lastMinute: number;
  /** The measure as it was and as it is: nanoseconds, or a share of calls. */
  readonly usual: number;
  readonly shifted: number;
}

/** Stretches over which calls are looked at together, so that operations called seldom are judged too, only later. */
const WINDOWS = [4, 8, 16, 40] as const;
const LONGEST = WINDOWS[WINDOWS.length - 1];
/** How far beyond the usual, in robust standard deviations. */
const FAR = 4;
/** At least so much worse: a quarter in time, a point of failures. */
const WORSE = 1.25;
const POINT = 0.01;
/** Nobody waits for less than this. */
const NOTABLE_NS = 5_000_000;
/** Calls that are needed to say what is usual, and how many minutes of them. */
const ENOUGH_CALLS = 40;
const ENOUGH_MINUTES = 45;
/** What is usual is taken from the day before. */
const USUAL_MINUTES = 1440;
/** What goes on longer than this has become usual. */
const NEW_USUAL = 720;
/** A shift has ended when it was not seen for so long. */
const OVER_AFTER = 20;
/** What is usual is worked out anew every so many minutes. */
const ANEW = 10;
/** Stretches by which the spread of what is usual is judged. */
const BLOCK = 10;

/** What a call is counted for in one measure: those that failed, or that took longer than a bound. */
interface Mark {
  readonly measure: ShiftMeasure;
  /** Buckets of the sketch from this one on are over the bound; unused for failures. */
  readonly bucket: number;
  /** The usual share of calls that are counted, and its variance beyond chance. */
  readonly share: number;
  readonly variance: number;
  /** The usual value of the measure. */
  readonly usual: number;
}

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
    found.push(finished(it.measure, it.running!, firstMinute));
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
      const longest = running ? Math.max(running.window, WINDOWS[1]) : Math.min(LONGEST, at - it.closed);
      const seen = isFlagged(counts, at, mark, longest);
      if (seen) {
        const shifted = measured(minutes, running ? running.begin : at - seen + 1, at, it.measure);
        if (running) {
          running.last = at;
          running.shifted = shifted;
        } else {
          const begin = Math.max(it.closed + 1, at - beginOfChange(counts.latestFirst(at, 2 * LONGEST), mark.share).back);
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

function finished(measure: ShiftMeasure, { begin, found, last, usual, shifted }: Running, firstMinute: number): Shift {
  return {
    measure,
    firstMinute: firstMinute + begin,
    foundMinute: firstMinute + found,
    lastMinute: firstMinute + last,
    usual,
    shifted,
  };
}

type Minutes = CallSeries['minutes'];

/** Buckets that are told apart: from a microsecond to twenty minutes; what lies beyond falls into the last of either side. */
const LOWEST = 160;
const BUCKETS = 512;

interface Block {
  calls: number;
  failures: number;
  /** Calls by bucket, from `LOWEST` on. */
  readonly durations: Float64Array;
  /** Calls in a bucket and all above it; absent while calls are still being added. */
  atLeast?: Float64Array;
}

/** What is usual, kept up as time goes on: the calls of the day before by blocks of some minutes, without those that were flagged. */
class Usual {
  readonly #minutes: Minutes;
  readonly #blocks = new Map<number, Block>();
  readonly #all = new Float64Array(BUCKETS);
  #calls = 0;
  #failures = 0;
  /** The first minute that is not in a block yet. */
  #next = 0;

  constructor(minutes: Minutes) {
    this.#minutes = minutes;
  }

  /** To be called when minutes were flagged, or no longer are, that had been taken in. */
  anew(): void {
    this.#blocks.clear();
    this.#all.fill(0);
    this.#calls = 0;
    this.#failures = 0;
    this.#next = 0;
  }

  /** Takes in what went before a minute. The last minutes may be the first of a shift that is not found yet. */
  advance(at: number, flagged: Uint8Array): void {
    const oldest = Math.max(0, at - USUAL_MINUTES);
    for (const [key, block] of this.#blocks) {
      if ((key + 1) * BLOCK > oldest) continue;
      for (let bucket = 0; bucket < BUCKETS; bucket++) this.#all[bucket] -= block.durations[bucket];
      this.#calls -= block.calls;
      this.#failures -= block.failures;
      this.#blocks.delete(key);
    }
    this.#next = Math.max(this.#next, Math.floor(oldest / BLOCK) * BLOCK);
    for (; this.#next < at - WINDOWS[0]; this.#next++) {
      const minute = this.#minutes[this.#next];
      if (!minute || flagged[this.#next]) continue;
      const key = Math.floor(this.#next / BLOCK);
      let block = this.#blocks.get(key);
      if (!block) {
        block = { calls: 0, failures: 0, durations: new Float64Array(BUCKETS) };
        this.#blocks.set(key, block);
      }
      block.atLeast = undefined;
      block.calls += minute.calls;
      block.failures += minute.failures;
      this.#calls += minute.calls;
      this.#failures += minute.failures;
      for (const [bucket, times] of minute.sketch.buckets) {
        const place = Math.min(BUCKETS - 1, Math.max(0, bucket - LOWEST));
        block.durations[place] += times;
        this.#all[place] += times;
      }
    }
  }

  /** What is usual for each measure; nothing as long as too little is known. */
  marks(at: number): Record<ShiftMeasure, Mark> | undefined {
    const [first = at] = this.#blocks.keys();
    if (this.#calls < ENOUGH_CALLS || at - first * BLOCK < ENOUGH_MINUTES) return undefined;
    const p50 = this.#quantile(0.5);
    const p95 = this.#quantile(0.95);
    return {
      failures: this.#mark('failures', 0, this.#failures / this.#calls),
      p50: this.#mark('p50', boundBucket(p50), p50),
      p95: this.#mark('p95', boundBucket(p95), p95),
    };
  }

  #quantile(share: number): number {
    const rank = Math.ceil(share * this.#calls);
    let below = 0;
    for (let bucket = 0; bucket < BUCKETS; bucket++) {
      below += this.#all[bucket];
      if (below >= rank) return 2 ** ((bucket + LOWEST + 0.5) / 16);
    }
    return 0;
  }

  /** The share of calls that are marked, and how much it varies from block to block beyond chance. */
  #mark(measure: ShiftMeasure, bucket: number, usual: number): Mark {
    const counted = [...this.#blocks.values()].map((it) => ({ calls: it.calls, marked: markedInBlock(it, measure, bucket) }));
    // Half a call more than were seen, so that what never happened is not held to be impossible.
    const share = (counted.reduce((sum, it) => sum + it.marked, 0) + 0.5) / (this.#calls + 1);
    const full = counted.filter((it) => it.calls >= 5);
    if (full.length < 5) return { measure, bucket, usual, share, variance: 0 };
    const shares = full.map((it) => it.marked / it.calls);
    const centre = median(shares);
    const spread = 1.4826 * median(shares.map((it) => Math.abs(it - centre)));
    const byChance = (share * (1 - share)) / median(full.map((it) => it.calls));
    return { measure, bucket, usual, share, variance: Math.max(0, spread ** 2 - byChance) };
  }
}

function markedInBlock(block: Block, measure: ShiftMeasure, bucket: number): number {
  if (measure === 'failures') return block.failures;
  if (!block.atLeast) {
    block.atLeast = new Float64Array(BUCKETS + 1);
    for (let at = BUCKETS - 1; at >= 0; at--) block.atLeast[at] = block.atLeast[at + 1] + block.durations[at];
  }
  return block.atLeast[Math.min(BUCKETS, Math.max(0, bucket - LOWEST))];
}

function boundBucket(usual: number): number {
  return Math.ceil(Math.log2(Math.max(usual * WORSE, usual + NOTABLE_NS)) * 16);
}

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
    // An operation called seldom needs the longer stretches.
    if (calls < 8 || marked < 4 || minutesMarked < 3) continue;
    const excess = marked - calls * mark.share;
    const deviation = Math.sqrt(calls * mark.share * (1 - mark.share) + calls ** 2 * mark.variance);
    const share = marked / calls;
    const isWorse = mark.measure === 'failures' ? share >= mark.share + POINT : share > (mark.measure === 'p50' ? 0.5 : 0.05);
    // With few calls a deviation says little: a chance of the tail below one in a hundred thousand is asked for as well.
    if (isWorse && excess >= FAR * deviation && tail(calls, mark.share, marked) < 1e-6) return length;
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

function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}
