import type { CodeColumn } from '../columns/segment.ts';
import { type ClassCounts, emptySeries, noCounts, stepOf } from './load.ts';
import { DIMENSION_COLUMNS, type Dimension, isActiveCode, isHeldOpenCode, type SessionRows } from './sessionColumns.ts';
import { classIndex, WAIT_CLASSES } from './waitClasses.ts';

/** A part of the load: sessions that have one of some values. */
export interface LoadFilter {
  readonly dimension: Exclude<Dimension, 'table'> | 'class';
  readonly values: ReadonlySet<string>;
}

/** A stretch in which one session held its transaction open without running anything, epoch milliseconds. */
export interface HeldOpen {
  readonly session: string;
  readonly program: string;
  readonly user: string;
  readonly statementId: string;
  readonly from: number;
  to: number;
  /** Since when its transaction was open, when that is known. */
  readonly transactionFrom: number | null;
}

/** Two sights further apart than this are of two stretches. */
const GAP_MS = 5_000;
const MOST_HELD_OPEN = 2_000;
/** Values of one dimension that are told apart; a sender may make up any number. Those beyond share one. */
const MOST_VALUES = 2_000;
export const OTHER_VALUES = 'other values';

/**
 * Adds up the load of a server over a stretch of time, in steps and by each dimension. Segments are added in order of time.
 *
 * Cost: one pass over the rows; per row one array access a dimension.
 */
export class LoadSums {
  readonly series;
  /** Counts by class of each value; without a value under the empty text. */
  readonly cuts: Readonly<Record<keyof typeof DIMENSION_COLUMNS, Map<string, ClassCounts>>> = {
    statement: new Map(),
    event: new Map(),
    program: new Map(),
    user: new Map(),
    database: new Map(),
    client: new Map(),
  };
  readonly heldOpen: HeldOpen[] = [];
  /** Epoch milliseconds of the first and last moment sampled; 0 before there is one. */
  firstMs = 0;
  lastMs = 0;
  /** Sum of the intervals that the moments represent. */
  sampledMs = 0;
  cores = 0;
  most = 0;
  /** Of sessions that were idle, the sum over the moments. */
  idle = 0;
  readonly #from: number;
  readonly #to: number;
  readonly #filters: readonly LoadFilter[];
  readonly #open = new Map<string, HeldOpen>();

  /** @param from,to epoch milliseconds, `to` exclusive */
  constructor(from: number, to: number, stepMs: number, filters: readonly LoadFilter[] = []) {
    this.#from = from;
    this.#to = to;
    this.#filters = filters;
    this.series = emptySeries(from, to, stepMs);
  }

  add(rows: SessionRows, slotMs: number): void {
    const { times, states, sessions } = rows;
    const classOf = rows.classes.texts.map(classIndex);
    const cuts = Object.entries(DIMENSION_COLUMNS).map(([name, of]) => ({
      name: name as keyof typeof DIMENSION_COLUMNS,
      codes: rows.column(of),
      counts: new Float64Array((rows.column(of).texts.length + 1) * WAIT_CLASSES.length),
    }));
    const admitted = this.#filters.map(({ dimension, values }) =>
      dimension === 'class'
        ? { codes: rows.classes, admits: admitsClass(rows.classes, values) }
        : { codes: rows.column(DIMENSION_COLUMNS[dimension]), admits: admits(rows.column(DIMENSION_COLUMNS[dimension]), values) },
    );
    for (let row = 0; row < rows.rows; row++) {
      const at = slotMs + times[row];
      if (at < this.#from || at >= this.#to) continue;
      const step = stepOf(this.series, at);
      if (sessions.values[row] === 0) {
        this.#moment(rows, row, at, step);
        continue;
      }
      if (isHeldOpenCode(states[row])) this.#seeOpen(rows, row, at);
      if (!isActiveCode(states[row])) continue;
      const code = rows.classes.values[row];
      const of = code === 0 ? 0 : classOf[code - 1];
      if (of < 0) continue;
      if (!admitted.every(({ codes, admits: allowed }) => allowed[codes.values[row]] === 1)) continue;
      this.series.counts[step][of]++;
      for (const { codes, counts } of cuts) counts[codes.values[row] * WAIT_CLASSES.length + of]++;
    }
    for (const { name, codes, counts } of cuts) merge(this.cuts[name], codes, counts);
  }

  #moment(rows: SessionRows, row: number, at: number, step: number): void {
    this.series.samples[step]++;
    this.sampledMs += rows.intervals[row];
    if (this.firstMs === 0) this.firstMs = at;
    this.lastMs = at;
    this.idle += rows.idle(row);
    this.cores = Math.max(this.cores, rows.cores(row));
    this.most = Math.max(this.most, rows.most(row));
  }

  #seeOpen(rows: SessionRows, row: number, at: number): void {
    const number = rows.sessions.texts[rows.sessions.values[row] - 1];
    const known = this.#open.get(number);
    if (known && at - known.to <= GAP_MS) {
      known.to = at;
      return;
    }
    const it = rows.session(row);
    const open = {
      session: number,
      program: it.program,
      user: it.user,
      statementId: it.statementId,
      from: at,
      to: at,
      transactionFrom: it.transactionMs === null ? null : at - it.transactionMs,
    };
    this.#open.set(number, open);
    if (this.heldOpen.length < MOST_HELD_OPEN) this.heldOpen.push(open);
  }
}

function admits({ texts }: CodeColumn, values: ReadonlySet<string>): Uint8Array {
  return Uint8Array.from([values.has(''), ...texts.map((text) => values.has(text))], Number);
}

function admitsClass({ texts }: CodeColumn, values: ReadonlySet<string>): Uint8Array {
  return Uint8Array.from(['', ...texts], (text) => Number(values.has(WAIT_CLASSES[classIndex(text)] ?? '')));
}

function merge(into: Map<string, ClassCounts>, { texts }: CodeColumn, counts: Float64Array): void {
  const width = WAIT_CLASSES.length;
  for (let code = 0; code <= texts.length; code++) {
    const own = counts.subarray(code * width, (code + 1) * width);
    if (!own.some((count) => count > 0)) continue;
    const value = code === 0 ? '' : texts[code - 1];
    const text = into.has(value) || into.size < MOST_VALUES ? value : OTHER_VALUES;
    let sum = into.get(text);
    if (!sum) {
      sum = noCounts();
      into.set(text, sum);
    }
    for (let at = 0; at < width; at++) sum[at] += own[at];
  }
}
