import type { CodeColumn } from '../../columns/segment.ts';
import { type HeldOpen, HeldOpenStretches } from '../heldOpen.ts';
import { CUTS, OTHER_VALUES } from '../hours/hourColumns.ts';
import type { HourMixtures, HourParts, SessionHour } from '../hours/sessionHour.ts';
import { DIMENSION_COLUMNS, type Dimension, isActiveCode, isHeldOpenCode, type SessionRows } from '../sessionColumns.ts';
import { classIndex, WAIT_CLASSES } from '../waitClasses.ts';
import { type ClassCounts, emptySeries, noCounts, stepOf } from './load.ts';

/** A part of the load: sessions that have one of some values. */
export interface LoadFilter {
  readonly dimension: Exclude<Dimension, 'table'> | 'class';
  readonly values: ReadonlySet<string>;
}

/** Values of one dimension that are told apart; a sender may make up any number. Those beyond share one. */
const MOST_VALUES = 2_000;

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
  readonly #open = new HeldOpenStretches();

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
    const cuts = cutsOf(rows);
    const admitted = admittedBy(rows, this.#filters);
    for (let row = 0; row < rows.rows; row++) {
      const at = slotMs + times[row];
      if (at < this.#from || at >= this.#to) continue;
      const step = stepOf(this.series, at);
      if (sessions.values[row] === 0) {
        this.#moment(rows, row, at, step);
        continue;
      }
      if (isHeldOpenCode(states[row])) this.#open.see(rows, row, at);
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
    this.#sampled({
      firstMs: at,
      lastMs: at,
      sampledMs: rows.intervals[row],
      idle: rows.idle(row),
      most: rows.most(row),
      cores: rows.cores(row),
    });
  }

  /** Adds an hour that lies wholly within the stretch. Where only some of the load is asked for, it is of the step in which the hour begins. */
  addHour(hour: SessionHour): void {
    const { moments } = hour;
    if (!moments) return;
    this.#sampled(moments);
    for (const it of hour.heldOpen) this.#open.join(it);
    if (this.#filters.length === 0) {
      hour.eachMinute((at, classAt, count) => {
        const step = stepOf(this.series, Math.max(at, this.#from));
        if (classAt === 'moments') this.series.samples[step] += count;
        else this.series.counts[step][classAt] += count;
      });
      for (const parts of hour.parts) this.#addParts(parts);
      return;
    }
    const step = stepOf(this.series, Math.max(hour.hourMs, this.#from));
    this.series.samples[step] += moments.count;
    if (hour.mixtures) this.#addMixtures(hour.mixtures, step);
  }

  #addParts({ rows, counts, dimensions, classes, values }: HourParts): void {
    const { values: codes, texts } = values;
    // Rows of one value stand together: it is looked up once.
    let [lastDimension, lastCode] = [-1, -1];
    let sums = noCounts();
    for (let row = rows.from; row < rows.to; row++) {
      const [dimension, code, of, count] = [dimensions[row], codes[row], classes[row], counts[row]];
      if (dimension !== lastDimension || code !== lastCode) {
        [lastDimension, lastCode] = [dimension, code];
        sums = countsOf(this.cuts[CUTS[dimension]], code === 0 ? '' : texts[code - 1]);
      }
      sums[of] += count;
    }
  }

  #addMixtures(load: HourMixtures, step: number): void {
    const classOf = load.classes.texts.map(classIndex);
    const cuts = cutsOf(load);
    const admitted = admittedBy(load, this.#filters);
    for (let row = load.rows.from; row < load.rows.to; row++) {
      const code = load.classes.values[row];
      const of = code === 0 ? 0 : classOf[code - 1];
      if (of < 0 || !admitted.every(({ codes, admits: allowed }) => allowed[codes.values[row]] === 1)) continue;
      const count = load.counts[row];
      this.series.counts[step][of] += count;
      for (const { codes, counts } of cuts) counts[codes.values[row] * WAIT_CLASSES.length + of] += count;
    }
    for (const { name, codes, counts } of cuts) merge(this.cuts[name], codes, counts);
  }

  /** Sessions that held their transaction open, in order of time. */
  get heldOpen(): readonly HeldOpen[] {
    return this.#open.all;
  }

  #sampled(of: Readonly<Record<'firstMs' | 'lastMs' | 'sampledMs' | 'idle' | 'most' | 'cores', number>>): void {
    this.sampledMs += of.sampledMs;
    if (this.firstMs === 0) this.firstMs = of.firstMs;
    this.lastMs = of.lastMs;
    this.idle += of.idle;
    this.cores = Math.max(this.cores, of.cores);
    this.most = Math.max(this.most, of.most);
  }
}

/** What load is cut by, of some rows. */
interface CutColumns {
  readonly classes: CodeColumn;
  readonly column: (name: string) => CodeColumn;
}

function cutsOf(rows: CutColumns) {
  return Object.entries(DIMENSION_COLUMNS).map(([name, of]) => ({
    name: name as keyof typeof DIMENSION_COLUMNS,
    codes: rows.column(of),
    counts: new Float64Array((rows.column(of).texts.length + 1) * WAIT_CLASSES.length),
  }));
}

function admittedBy(rows: CutColumns, filters: readonly LoadFilter[]) {
  return filters.map(({ dimension, values }) =>
    dimension === 'class'
      ? { codes: rows.classes, admits: admitsClass(rows.classes, values) }
      : { codes: rows.column(DIMENSION_COLUMNS[dimension]), admits: admits(rows.column(DIMENSION_COLUMNS[dimension]), values) },
  );
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
    const sum = countsOf(into, value);
    for (let at = 0; at < width; at++) sum[at] += own[at];
  }
}

/** The counts of a value; beyond so many values those that all others share. */
function countsOf(into: Map<string, ClassCounts>, value: string): ClassCounts {
  const text = into.has(value) || into.size < MOST_VALUES ? value : OTHER_VALUES;
  let counts = into.get(text);
  if (!counts) {
    counts = noCounts();
    into.set(text, counts);
  }
  return counts;
}
