import { ColumnWriter } from '../../columns/columnWriter.ts';
import type { Segment } from '../../columns/segment.ts';
import { idHash } from '../../measures/sampling/stratifiedSample.ts';
import { BlockingHarm } from '../blockingTree.ts';
import { eachBlockedMoment } from '../eachMoment.ts';
import { HeldOpenStretches } from '../heldOpen.ts';
import { HolderSums } from '../holders.ts';
import { type ClassCounts, noCounts, totalOf } from '../load/load.ts';
import { DIMENSION_COLUMNS, isActiveCode, isHeldOpenCode, type SessionRows } from '../sessionColumns.ts';
import { classIndex, WAIT_CLASSES } from '../waitClasses.ts';
import {
  CLASS,
  CORES,
  COUNT,
  CUTS,
  DIMENSION,
  FIRST,
  type HourPart,
  IDLE,
  IN_TOTAL,
  INTERVAL,
  KIND,
  KINDS,
  type Kind,
  LAST,
  MINUTE,
  MIXED,
  MOMENTS,
  MOST,
  MOST_AT,
  MOST_CODE,
  MOST_HELD,
  MOST_ROWS,
  OPEN,
  OTHER_VALUES,
  SESSION,
  TRACE,
  TRACES_APART,
  TRANSACTION,
  VALUE,
  WAITED,
  WAITED_UNIT_MS,
} from './hourColumns.ts';

/** The samples of a slot. @see sessionRows */
export interface SlotRows {
  readonly rows: SessionRows;
  readonly slotMs: number;
}

const MINUTE_MS = 60_000;
/** Rows of an hour up to which each moment at which somebody waited is looked at; of more each nth, which counts n times. */
const MOST_BLOCKED_ROWS = 1_000_000;

/** Adds up an hour. @param slots its samples in order of time @param hourMs when it begins, epoch milliseconds */
export function hourSegments(slots: readonly SlotRows[], hourMs: number): Record<HourPart, Segment> {
  const mixtures = new Mixtures();
  const open = new HeldOpenStretches();
  const harm = new BlockingHarm();
  const holders = new HolderSums();
  const traces = new TracesOfStatements();
  const minutes = Array.from({ length: 60 }, () => ({ moments: 0, counts: noCounts() }));
  const moments = { count: 0, first: 0, last: 0, interval: 0, idle: 0, most: 0, cores: 0 };
  const every = Math.max(1, Math.ceil(slots.reduce((sum, { rows }) => sum + rows.rows, 0) / MOST_BLOCKED_ROWS));
  for (const { rows, slotMs } of slots) {
    const mix = mixtures.of(rows);
    const classOf = rows.classes.texts.map(classIndex);
    for (let row = 0; row < rows.rows; row++) {
      const at = slotMs + rows.times[row];
      const minute = minutes[Math.min(59, Math.max(0, Math.floor((at - hourMs) / MINUTE_MS)))];
      if (rows.sessions.values[row] === 0) {
        if (moments.count++ === 0) moments.first = at;
        moments.last = at;
        minute.moments++;
        moments.interval += rows.intervals[row];
        moments.idle += rows.idle(row);
        moments.most = Math.max(moments.most, rows.most(row));
        moments.cores = Math.max(moments.cores, rows.cores(row));
        continue;
      }
      if (isHeldOpenCode(rows.states[row])) open.see(rows, row, at);
      if (!isActiveCode(rows.states[row])) continue;
      const code = rows.classes.values[row];
      const of = code === 0 ? 0 : classOf[code - 1];
      if (of >= 0) minute.counts[of]++;
      mix.add(row);
      traces.add(rows, row);
    }
    mix.end();
    eachBlockedMoment(rows, slotMs, every, (atMs, intervalMs, sessions) => {
      harm.add(atMs, intervalMs, sessions);
      holders.add(sessions);
    });
  }
  const writers = { total: new ColumnWriter(), values: new ColumnWriter(), mixtures: new ColumnWriter() };
  let writer = writers.total;
  const row = (kind: Kind, numbers: Readonly<Record<string, number>>, texts: Readonly<Record<string, string>> = {}) => {
    writer.code(KIND, KINDS.indexOf(kind));
    for (const [name, value] of Object.entries(numbers)) writer.code(name, Math.min(Math.round(value), MOST_CODE));
    for (const [name, value] of Object.entries(texts)) if (value !== '') writer.text(name, value);
    writer.endRow();
  };
  if (moments.count > 0) {
    const { first, last, count, interval, idle, most, cores } = moments;
    row('moments', {
      [COUNT]: count,
      [FIRST]: first - hourMs,
      [LAST]: last - hourMs,
      [INTERVAL]: interval,
      [IDLE]: idle,
      [MOST]: most,
      [CORES]: cores,
      [WAITED]: harm.waitedMs / WAITED_UNIT_MS,
    });
  }
  for (const [minute, { moments: taken, counts }] of minutes.entries()) {
    if (taken > 0) row('minute', { [MINUTE]: minute, [CLASS]: MOMENTS, [COUNT]: taken });
    for (const [classAt, count] of counts.entries())
      if (count > 0) row('minute', { [MINUTE]: minute, [CLASS]: classAt, [COUNT]: count });
  }
  for (const { dimension, value, classAt, count } of mixtures.parts()) {
    writer = CUTS[dimension] === IN_TOTAL ? writers.total : writers.values;
    row('part', { [COUNT]: count, [DIMENSION]: dimension, [CLASS]: classAt }, { [VALUE]: value });
  }
  writer = writers.mixtures;
  for (const { texts, count } of mixtures.largest())
    row('mixture', { [COUNT]: count }, Object.fromEntries(MIXED.map((name, at) => [name, texts[at]])));
  writer = writers.values;
  const { statement: STATEMENT, program: PROGRAM, user: USER, client: CLIENT } = DIMENSION_COLUMNS;
  const byLength = [...open.all].sort((a, b) => b.to - b.from - (a.to - a.from)).slice(0, MOST_ROWS.open);
  for (const it of byLength.sort((a, b) => a.from - b.from))
    row(
      'open',
      {
        [FIRST]: it.from - hourMs,
        [LAST]: it.to - hourMs,
        // 0 where it is not known.
        [TRANSACTION]: it.transactionFrom === null ? 0 : it.from - it.transactionFrom + 1,
      },
      { [SESSION]: it.session, [PROGRAM]: it.program, [USER]: it.user, [STATEMENT]: it.statementId },
    );
  // Those who join them go by time.
  const roots = harm
    .roots()
    .slice(0, MOST_ROWS.root)
    .sort((a, b) => a.firstMs - b.firstMs);
  for (const { root, firstMs, lastMs, waitedMs, most, mostAtMs, heldOpenMs } of roots)
    row(
      'root',
      {
        [FIRST]: firstMs - hourMs,
        [LAST]: lastMs - hourMs,
        [WAITED]: waitedMs / WAITED_UNIT_MS,
        [MOST]: most,
        [MOST_AT]: mostAtMs - hourMs,
        [OPEN]: heldOpenMs / WAITED_UNIT_MS,
      },
      {
        [SESSION]: root.session,
        [PROGRAM]: root.program,
        [USER]: root.user,
        [CLIENT]: root.client,
        [STATEMENT]: root.statementId,
      },
    );
  for (const { waiting, session, program, user, waits, idle } of holders.all().slice(0, MOST_ROWS.holder))
    row(
      'holder',
      { [COUNT]: waits, [IDLE]: idle },
      { [STATEMENT]: waiting, [SESSION]: session, [PROGRAM]: program, [USER]: user },
    );
  for (const [statement, id] of traces.spread(MOST_ROWS.trace)) {
    writer.bytes(
      TRACE,
      Uint8Array.from({ length: id.length / 2 }, (_, at) => Number.parseInt(id.slice(2 * at, 2 * at + 2), 16)),
    );
    row('trace', {}, { [STATEMENT]: statement });
  }
  return { total: writers.total.finish(), values: writers.values.finish(), mixtures: writers.mixtures.finish() };
}

const ID = new Uint8Array(16);

/** Whether hours keep a trace. @param trace the first 16 hex digits of its id */
export function isKeptOfHour(trace: string): boolean {
  for (let at = 0; at < ID.length; at++) ID[at] = trace.charCodeAt(at);
  return idHash(ID, 0) % TRACES_APART === 0;
}

/** Traces of which statements were a part. */
class TracesOfStatements {
  readonly #ids = new Map<string, Set<string>>();
  #held = 0;

  /** @param row one of a session that runs a statement */
  add(rows: SessionRows, row: number): void {
    const trace = rows.traceAt(row);
    const { values, texts } = rows.column(DIMENSION_COLUMNS.statement);
    if (trace === '' || values[row] === 0 || this.#held >= MOST_HELD || !isKeptOfHour(trace)) return;
    const statement = texts[values[row] - 1];
    const known = this.#ids.get(statement) ?? new Set();
    this.#ids.set(statement, known);
    if (known.has(trace)) return;
    known.add(trace);
    this.#held++;
  }

  /** Of each statement as many, spread over the hour. @param most of all together, about */
  *spread(most: number): Generator<[statement: string, trace: string]> {
    const ofEach = Math.ceil(most / Math.max(1, this.#ids.size));
    for (const [statement, ids] of [...this.#ids].slice(0, most)) {
      const every = Math.max(1, Math.ceil(ids.size / ofEach));
      let at = 0;
      for (const id of ids) if (at++ % every === 0) yield [statement, id];
    }
  }
}

interface Mixture {
  /** In the order of `MIXED`. */
  readonly texts: readonly string[];
  count: number;
}

/** Counts how often each mixture of wait class, statement, program and so on was seen. */
class Mixtures {
  readonly #all = new Map<string, Mixture>();
  /** Those beyond what is held. */
  readonly #rest = new Map<number, Mixture>();

  /** Counts rows of a slot: mixtures are told apart by their codes, texts are looked at once for each. */
  of(rows: SessionRows): { add: (row: number) => void; end: () => void } {
    const columns = MIXED.map((name) => rows.column(name));
    const sizes = columns.map(({ texts }) => texts.length + 1);
    const own = new Map<number | string, { readonly row: number; count: number }>();
    // As one number, unless there are too many to be told apart so.
    const isNumber = sizes.reduce((product, size) => product * size, 1) < Number.MAX_SAFE_INTEGER;
    const keyOf = (row: number) => {
      if (!isNumber) return columns.map(({ values }) => values[row]).join();
      let key = 0;
      for (let at = 0; at < columns.length; at++) key = key * sizes[at] + columns[at].values[row];
      return key;
    };
    return {
      add: (row) => {
        const key = keyOf(row);
        const known = own.get(key);
        if (known) known.count++;
        else own.set(key, { row, count: 1 });
      },
      end: () => {
        for (const { row, count } of own.values())
          this.#add(
            columns.map(({ values, texts }) => (values[row] === 0 ? '' : texts[values[row] - 1])),
            count,
          );
      },
    };
  }

  #add(texts: readonly string[], count: number): void {
    const key = texts.join('\0');
    const known = this.#all.get(key);
    if (known) known.count += count;
    else if (this.#all.size < MOST_HELD) this.#all.set(key, { texts, count });
    else addWithoutValues(this.#rest, texts[0], count);
  }

  /** Samples by each value of each dimension and by wait class; of very many values the largest, and the others together. */
  parts(): { dimension: number; value: string; classAt: number; count: number }[] {
    return CUTS.flatMap((_, dimension) => {
      const counts = new Map<string, ClassCounts>();
      for (const { texts, count } of [...this.#all.values(), ...this.#rest.values()]) {
        const of = classIndex(texts[0]);
        if (of >= 0) countsOf(counts, texts[dimension + 1])[of] += count;
      }
      const sorted = [...counts].sort(([, a], [, b]) => totalOf(b) - totalOf(a));
      const listed = new Map(sorted.slice(0, MOST_ROWS.values));
      for (const [, of] of sorted.slice(MOST_ROWS.values)) addTo(countsOf(listed, OTHER_VALUES), of);
      return [...listed].flatMap(([value, of]) =>
        [...of].flatMap((count, classAt) => (count > 0 ? [{ dimension, value, classAt, count }] : [])),
      );
    });
  }

  /** The largest mixtures; what is beyond keeps its wait class. */
  largest(): Mixture[] {
    const sorted = [...this.#all.values()].sort((a, b) => b.count - a.count);
    const rest = new Map<number, Mixture>();
    for (const { texts, count } of [...this.#rest.values(), ...sorted.slice(MOST_ROWS.mixture)])
      addWithoutValues(rest, texts[0], count);
    return [...sorted.slice(0, MOST_ROWS.mixture), ...rest.values()];
  }
}

/** Adds to what is told apart by its wait class alone: one of those that are known, whatever it was called. */
function addWithoutValues(rest: Map<number, Mixture>, waitClass: string, count: number): void {
  const at = classIndex(waitClass);
  const known = rest.get(at);
  if (known) known.count += count;
  else rest.set(at, { texts: [at < 0 ? waitClass : WAIT_CLASSES[at], ...CUTS.map(() => OTHER_VALUES)], count });
}

function countsOf(counts: Map<string, ClassCounts>, value: string): ClassCounts {
  let found = counts.get(value);
  if (!found) {
    found = noCounts();
    counts.set(value, found);
  }
  return found;
}

function addTo(sum: ClassCounts, of: ClassCounts): void {
  for (let at = 0; at < sum.length; at++) sum[at] += of[at];
}
