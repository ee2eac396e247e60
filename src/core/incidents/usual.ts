import { medianOf } from '../measures/medianOf.ts';
import type { CallSeries, ShiftMeasure } from './callSeries.ts';

/** Durations are at least so many times the usual. */
const WORSE = 1.25;
/** Nobody waits for less than this. */
const NOTABLE_NS = 5_000_000;
/** Calls that are needed to say what is usual, and how many minutes of them. */
const ENOUGH_CALLS = 40;
const ENOUGH_MINUTES = 45;
/** What is usual is taken from the day before. */
const USUAL_MINUTES = 1440;
/** Stretches by which the spread of what is usual is judged. */
const BLOCK = 10;
/** A block of fewer calls says nothing of the spread, and fewer of those neither. */
const FULL_CALLS = 5;
const ENOUGH_BLOCKS = 5;
/** The last minutes may be the first of a shift that is not found yet. */
const TOO_FRESH = 4;

/** What a call is counted for in one measure: those that failed, or that took longer than a bound. */
export interface Mark {
  readonly measure: ShiftMeasure;
  /** Buckets of the sketch from this one on are over the bound; unused for failures. */
  readonly bucket: number;
  /** The usual share of calls that are counted, and its variance beyond chance. */
  readonly share: number;
  readonly variance: number;
  /** The usual value of the measure. */
  readonly usual: number;
}

/** Buckets that are distinguished: from a microsecond to twenty minutes; what lies beyond falls into the last of either side. */
const LOWEST = 160;
const BUCKETS = 512;

/** Of the blocks of a day, one by one: shares of marked calls, and calls. */
const SHARES = new Float64Array(USUAL_MINUTES / BLOCK + 2);
const CALLS = new Float64Array(USUAL_MINUTES / BLOCK + 2);

interface Block {
  calls: number;
  failures: number;
  /** Calls by bucket, from `LOWEST` on. */
  readonly durations: Float64Array;
  /** Calls in a bucket and all above it; absent while calls are still being added. */
  atLeast?: Float64Array;
}

/** What is usual, kept up as time goes on: the calls of the day before by blocks of some minutes, without those that were flagged. */
export class Usual {
  readonly #minutes: CallSeries['minutes'];
  readonly #blocks = new Map<number, Block>();
  readonly #all = new Float64Array(BUCKETS);
  #calls = 0;
  #failures = 0;
  /** The first minute that is not in a block yet. */
  #next = 0;

  constructor(minutes: CallSeries['minutes']) {
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
    for (; this.#next < at - TOO_FRESH; this.#next++) {
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
        const index = Math.min(BUCKETS - 1, Math.max(0, bucket - LOWEST));
        block.durations[index] += times;
        this.#all[index] += times;
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
    // This is done for each minute of each series: numbers in arrays that are used again, and no objects.
    let all = 0;
    let full = 0;
    for (const block of this.#blocks.values()) {
      const marked = markedInBlock(block, measure, bucket);
      all += marked;
      if (block.calls < FULL_CALLS) continue;
      SHARES[full] = marked / block.calls;
      CALLS[full] = block.calls;
      full++;
    }
    // Half a call more than were seen, so that what never happened is not held to be impossible.
    const share = (all + 0.5) / (this.#calls + 1);
    if (full < ENOUGH_BLOCKS) return { measure, bucket, usual, share, variance: 0 };
    const shares = SHARES.subarray(0, full);
    const centre = medianOf(shares);
    for (let at = 0; at < full; at++) shares[at] = Math.abs(shares[at] - centre);
    const spread = 1.4826 * medianOf(shares);
    const byChance = (share * (1 - share)) / medianOf(CALLS.subarray(0, full));
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
