import { group } from 'd3-array';
import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import type { Kind } from '../../core/contrast/judge.ts';
import { StratifiedSample } from '../../core/measures/sampling/stratifiedSample.ts';
import { DURATION, ID, OUTCOME, ROOT_FAILED, ROOT_FOUND, WEIGHT } from '../../core/requests/requestColumns.ts';
import { earlier, later } from '../../core/time/moments.ts';
import { heldSegments } from '../columns/heldSegments.ts';
import { requestSamples, SAMPLED_PER_HOUR } from '../columns/requestSamples.ts';
import { requestSegments } from '../columns/requestSegments.ts';
import type { SegmentReading } from '../columns/slotSegments.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import type { MatchingRows } from './matchingRequests.ts';
import { eachRequest } from './requestScope.ts';

/** One side of a contrast. */
export interface Side {
  readonly filter: TraceFilter;
  /** Only requests that took so long at least, nanoseconds; or that failed; or that did not. */
  readonly atLeastNs?: number;
  readonly failed?: boolean;
}

export interface Sides {
  readonly a: Side;
  /** Requests of A are no part of it. */
  readonly b: Side;
  readonly outcome: Kind['outcome'];
}

/** Rows of a segment on one side, with what each represents. */
export interface Part {
  /** When the stretch of the segment begins, epoch nanoseconds. */
  readonly from: bigint;
  readonly rows: Uint32Array;
  readonly weights: Float64Array | undefined;
}

/** A stretch of a side, and which columns are read of it. */
interface Reading {
  readonly filter: TraceFilter;
  readonly segments: SegmentReading;
  readonly onLeftOut?: (from: bigint, to: bigint) => void;
}

/** The requests of one side by segment: those that are read, and which there are, a bit a row. */
export interface SideRows {
  readonly readings: readonly Reading[];
  readonly parts: ReadonlyMap<string, Part>;
  readonly all: ReadonlyMap<string, Uint8Array>;
  readonly requests: number;
  readonly read: number;
}

/** More than there are rows in a segment. */
const ROWS = 2 ** 21;
const HOUR_NS = 3_600_000_000_000n;
/** From so long a window on, the samples of hours have enough. */
const LEAST_HOURS = 6n;
/** With so many requests of a side, or with fewer of which each stands for hardly more than itself, a sample will do. */
const ENOUGH = 2_000;
const ENOUGH_OF_FEW = 200;
const MOST_REPRESENTED = 1.5;

/** Both sides, all of them or a sample of so many of each. */
export async function wholeSides({ a, b, outcome }: Sides, most: number, signal?: AbortSignal): Promise<[SideRows, SideRows]> {
  const whole = ({ filter }: Side) => ({ filter, segments: heldSegments(requestSegments) });
  const rowsOfA = await rowsOfReading(a, outcome, whole(a), most, undefined, signal);
  // All of A is no part of B, whether it is read or not.
  return [rowsOfA, await rowsOfReading(b, outcome, whole(b), most, rowsOfA.all, signal)];
}

/**
 * Both sides from the samples that are stored by the hour; of hours without one, their requests are sampled now.
 *
 * @returns undefined when the windows are short, the samples have too few requests of a side, or nothing says that there are more than they have
 */
export async function sampledSides(
  { a, b, outcome }: Sides,
  most: number,
  signal?: AbortSignal,
): Promise<[SideRows, SideRows] | undefined> {
  if (!isLong(a.filter) || !isLong(b.filter)) return undefined;
  const rowsOfA = await sampledSide(a, outcome, most, undefined, signal);
  if (!isEnough(rowsOfA)) return undefined;
  const rowsOfB = await sampledSide(b, outcome, most, rowsOfA.all, signal);
  // What a narrowing leaves of a sample may be none of many, or a few of a few more: then only all of them will do.
  const isPart = rowsOfA.requests + rowsOfB.requests > rowsOfA.read + rowsOfB.read;
  return isEnough(rowsOfB) && isPart ? [rowsOfA, rowsOfB] : undefined;
}

function isLong({ from, to }: TraceFilter): boolean {
  return from !== undefined && to !== undefined && to - from >= LEAST_HOURS * HOUR_NS;
}

function isEnough({ read, requests }: SideRows): boolean {
  return read >= ENOUGH || (read >= ENOUGH_OF_FEW && requests <= MOST_REPRESENTED * read);
}

async function sampledSide(
  side: Side,
  outcome: Kind['outcome'],
  most: number,
  others: ReadonlyMap<string, Uint8Array> | undefined,
  signal: AbortSignal | undefined,
): Promise<SideRows> {
  const gaps: { from: bigint; to: bigint }[] = [];
  const stored = {
    filter: side.filter,
    segments: requestSamples,
    onLeftOut: (from: bigint, to: bigint) => void gaps.push({ from, to }),
  };
  const found = await rowsOfReading(side, outcome, stored, most, others, signal);
  // About midnight an hour has requests of two days: where one of the two has no sample, all of the hour is read below.
  const sides = [without(found, ({ from }) => gaps.some((gap) => from >= gap.from && from < gap.to))];
  for (const gap of joined(gaps)) {
    const from = later(gap.from, side.filter.from!);
    const to = earlier(gap.to, side.filter.to!);
    if (to <= from) continue;
    const hours = Number((to - from + HOUR_NS - 1n) / HOUR_NS);
    const now = { filter: { ...side.filter, from, to }, segments: heldSegments(requestSegments) };
    sides.push(await rowsOfReading(side, outcome, now, hours * SAMPLED_PER_HOUR, others, signal));
  }
  return {
    // Read again, what was left out is read by the others.
    readings: sides.flatMap(({ readings }) => readings).map((it) => (it.onLeftOut ? { ...it, onLeftOut: () => undefined } : it)),
    parts: new Map(sides.flatMap(({ parts }) => [...parts])),
    all: new Map(sides.flatMap(({ all }) => [...all])),
    requests: Math.round(sides.reduce((sum, { requests }) => sum + requests, 0)),
    read: sides.reduce((sum, { read }) => sum + read, 0),
  };
}

/** The rows of a side but for some of its segments. */
function without(side: SideRows, isLeftOut: (part: Part) => boolean): SideRows {
  const gone = [...side.parts].filter(([, part]) => isLeftOut(part));
  if (gone.length === 0) return side;
  const keys = new Set(gone.map(([key]) => key));
  const requests = gone.reduce(
    (sum, [, { rows, weights }]) => sum + (weights?.reduce((all, it) => all + it, 0) ?? rows.length),
    0,
  );
  return {
    ...side,
    parts: new Map([...side.parts].filter(([key]) => !keys.has(key))),
    all: new Map([...side.all].filter(([key]) => !keys.has(key))),
    requests: side.requests - requests,
    read: side.read - gone.reduce((sum, [, { rows }]) => sum + rows.length, 0),
  };
}

/** Stretches in order of time, those that touch each other as one. */
function joined(gaps: readonly { from: bigint; to: bigint }[]): { from: bigint; to: bigint }[] {
  const found: { from: bigint; to: bigint }[] = [];
  for (const gap of [...gaps].sort((one, other) => (one.from < other.from ? -1 : 1))) {
    const last = found.at(-1);
    if (last && gap.from <= last.to) last.to = later(last.to, gap.to);
    else found.push({ ...gap });
  }
  return found;
}

async function rowsOfReading(
  side: Side,
  outcome: Kind['outcome'],
  reading: Reading,
  most: number,
  others: ReadonlyMap<string, Uint8Array> | undefined,
  signal: AbortSignal | undefined,
): Promise<SideRows> {
  const { filter, ...how } = reading;
  const all = new Map<string, Uint8Array>();
  const parts = new Map<string, Part>();
  let count = 0;
  let requests = 0;
  await eachRequest(
    filter,
    (it) => {
      const rows = rowsOf(it, side, outcome, others?.get(it.key));
      if (rows.length === 0) return;
      const weights = storedWeights(it, rows);
      all.set(it.key, bitsOf(rows, it.segment.rows));
      count += rows.length;
      requests += weights ? weights.reduce((sum, weight) => sum + weight, 0) : rows.length;
      if (weights || count <= most) parts.set(it.key, { from: it.from, rows, weights });
      else parts.clear();
    },
    { ...how, signal },
  );
  const readings = [reading];
  if (count <= most) return { readings, parts, all, requests, read: count };
  const isSample = how.segments === requestSamples;
  const fewer = isSample ? thinned(parts, most / count) : await sampleOf(reading, all, most, signal);
  return { readings, parts: fewer, all, requests, read: [...fewer.values()].reduce((sum, { rows }) => sum + rows.length, 0) };
}

/** What the rows of a sample stand for; undefined where the segment is none. */
function storedWeights({ segment }: MatchingRows, rows: Uint32Array): Float64Array | undefined {
  const column = segment.column(WEIGHT);
  return column?.type === 'numbers' ? Float64Array.from(rows, (row) => column.values[row]) : undefined;
}

/** A part of a sample, each row as likely as any other: every so manieth of each segment, from a place that differs from one to the next. */
function thinned(parts: ReadonlyMap<string, Part>, share: number): Map<string, Part> {
  let carried = 0;
  return new Map(
    [...parts].map(([key, { from, rows, weights }]) => {
      const isTaken = Array.from(rows, () => {
        carried += share;
        if (carried < 1) return false;
        carried--;
        return true;
      });
      return [
        key,
        {
          from,
          rows: rows.filter((_, at) => isTaken[at]),
          weights: weights?.filter((_, at) => isTaken[at]).map((weight) => weight / share),
        },
      ];
    }),
  );
}

/** A sample of the requests of a side, stratified by duration and outcome. */
async function sampleOf(
  { filter, segments }: Reading,
  all: ReadonlyMap<string, Uint8Array>,
  most: number,
  signal: AbortSignal | undefined,
): Promise<Map<string, Part>> {
  const keys = [...all.keys()];
  const indexOf = new Map(keys.map((key, index) => [key, index]));
  const begins = new Map<string, bigint>();
  const sample = new StratifiedSample<number>(most);
  await eachRequest(
    filter,
    ({ segment, key, from }) => {
      const bits = all.get(key);
      const ids = segment.column(ID);
      if (!bits || ids?.type !== 'bytes') return;
      begins.set(key, from);
      const first = indexOf.get(key)! * ROWS;
      const durations = numbersOf(segment, DURATION);
      const flags = codesOf(segment, OUTCOME).values;
      for (let row = 0; row < segment.rows; row++) {
        if (!hasBit(bits, row)) continue;
        const outcome = (flags[row] & ROOT_FAILED) !== 0 ? 2 : 0;
        sample.add({ idBytes: ids.values, idAt: row * ids.width, durationNs: durations[row], outcome }, first + row);
      }
    },
    { signal, segments },
  );
  const bySegment = group(
    sample.taken().sort((one, other) => one.item - other.item),
    ({ item }) => Math.floor(item / ROWS),
  );
  return new Map(
    [...bySegment].map(([segment, taken]) => [
      keys[segment],
      {
        from: begins.get(keys[segment])!,
        rows: Uint32Array.from(taken, ({ item }) => item % ROWS),
        weights: Float64Array.from(taken, ({ weight }) => weight),
      },
    ]),
  );
}

function bitsOf(rows: Uint32Array, count: number): Uint8Array {
  const bits = new Uint8Array(Math.ceil(count / 8));
  for (const row of rows) bits[row >> 3] |= 1 << (row & 7);
  return bits;
}

function hasBit(bits: Uint8Array, row: number): boolean {
  return (bits[row >> 3] & (1 << (row & 7))) !== 0;
}

/** The rows that belong to a side: whose root has come; of durations, those that went well. */
function rowsOf(
  { segment, rows }: MatchingRows,
  side: Side,
  outcome: Kind['outcome'],
  others: Uint8Array | undefined,
): Uint32Array {
  const flags = codesOf(segment, OUTCOME).values;
  const durations = numbersOf(segment, DURATION);
  return rows.filter((row) => {
    if ((flags[row] & ROOT_FOUND) === 0 || (others && hasBit(others, row))) return false;
    const failed = (flags[row] & ROOT_FAILED) !== 0;
    if (outcome === 'duration' && failed) return false;
    if (side.failed !== undefined && failed !== side.failed) return false;
    return side.atLeastNs === undefined || durations[row] >= side.atLeastNs;
  });
}
