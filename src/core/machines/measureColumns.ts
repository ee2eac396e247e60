import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, numberListsOf, type Segment } from '../columns/segment.ts';
import { derivedOf, type Measure, type MeasureSource, type RawMeasure, type Subject, type SubjectKind } from './measures.ts';
import { uidOf } from './pods/podUids.ts';

/*
 * Measures of machines as columns: a row for each subject and measure of a slot, with a value a minute.
 */

const KIND = 'kind';
const NAME = 'name';
const SERVICE = 'service';
const HOST = 'host';
const CONTAINER = 'container';
const MEASURE = 'measure';
const VALUES = 'values';

/** Rows of one segment; what is beyond is left out. */
const MOST_ROWS = 500_000;

/** One series of a subject within a slot, minute by minute: means of a gauge, or what a count grew by in a second; NaN where nothing came. */
export interface SlotSeries {
  readonly subject: Subject;
  readonly source: MeasureSource;
  /** Of which CPU, where it is of one among several; empty else. */
  readonly part: string;
  readonly values: readonly number[];
}

/** The rows of a slot: series of one subject and measure brought together. */
export function measureSegment(series: Iterable<SlotSeries>, minutes: number): Segment {
  const rows = new Map<string, { subject: Subject; measure: RawMeasure; values: number[]; parts: Set<string> }>();
  for (const { subject, source, part, values } of series)
    for (const measure of source.measures) {
      const key = `${subject.kind}\0${subject.name}\0${measure}`;
      let row = rows.get(key);
      if (!row) {
        if (rows.size >= MOST_ROWS) continue;
        row = { subject, measure, values: new Array<number>(minutes).fill(Number.NaN), parts: new Set() };
        rows.set(key, row);
      }
      row.parts.add(part);
      for (let at = 0; at < minutes; at++) row.values[at] = together(row.values[at], values[at], source.together);
    }
  const writer = new ColumnWriter();
  for (const { subject, measure, values, parts } of rows.values()) {
    writer.text(KIND, subject.kind);
    writer.text(NAME, subject.name);
    if (subject.service) writer.text(SERVICE, subject.service);
    if (subject.host) writer.text(HOST, subject.host);
    if (subject.container) writer.text(CONTAINER, subject.container);
    writer.text(MEASURE, measure);
    // A part of each CPU by itself: that of all is their mean.
    const by = measure === 'cpu' || measure === 'steal' ? parts.size : 1;
    for (const value of values) writer.addNumber(VALUES, value / by);
    writer.endRow();
  }
  return writer.finish();
}

function together(a: number, b: number, how: 'add' | 'max'): number {
  if (Number.isNaN(a)) return b;
  if (Number.isNaN(b)) return a;
  return how === 'add' ? a + b : Math.max(a, b);
}

/** Values that are held of one stretch: 8 bytes each. */
const MOST_VALUES = 24_000_000;

/** A stretch is too long for as many series as there are. */
export class MeasuresTooMany extends Error {
  constructor(series: number, minutes: number) {
    super(
      `There are more than ${series} series of machines: for so many a window of ${Math.round(minutes / 60)} h is too long. Light a shorter one.`,
    );
  }
}

/** Measures of a stretch of whole minutes. */
export class MachineMeasures {
  readonly firstMinute: number;
  readonly minutes: number;
  readonly #known = new Map<string, { readonly subject: Subject; readonly series: Map<string, Float64Array> }>();

  readonly #wanted: ReadonlySet<string> | undefined;
  #count = 0;

  /** @param firstMinute since 1970-01-01 @param minutes how many @param wanted only these measures; all by default */
  constructor(firstMinute: number, minutes: number, wanted?: readonly RawMeasure[]) {
    this.#wanted = wanted && new Set(wanted);
    this.firstMinute = firstMinute;
    this.minutes = minutes;
  }

  /**
   * Adds what lies in the stretch.
   *
   * @param slotMinute the first minute of the segment
   * @throws MeasuresTooMany before more values are held than a process should
   */
  add(segment: Segment, slotMinute: number): void {
    const [kinds, names, services, hosts, containers, measures] = [KIND, NAME, SERVICE, HOST, CONTAINER, MEASURE].map((name) =>
      codesOf(segment, name),
    );
    const { offsets, values } = numberListsOf(segment, VALUES);
    const textAt = (column: typeof kinds, row: number) => column.texts[column.values[row] - 1] ?? '';
    // Rows of one thing stand together mostly: it is looked up once.
    let [lastName, lastKind] = [-1, -1];
    let it: { readonly subject: Subject; readonly series: Map<string, Float64Array> } | undefined;
    for (let row = 0; row < segment.rows; row++) {
      if (!it || names.values[row] !== lastName || kinds.values[row] !== lastKind) {
        [lastName, lastKind] = [names.values[row], kinds.values[row]];
        const kind = textAt(kinds, row) as SubjectKind;
        const name = textAt(names, row);
        const key = `${kind}\0${name}`;
        it = this.#known.get(key);
        if (!it) {
          const place = { service: textAt(services, row), host: textAt(hosts, row), container: textAt(containers, row) };
          it = { subject: { kind, name, ...place }, series: new Map() };
          this.#known.set(key, it);
        }
      }
      const measure = textAt(measures, row);
      if (this.#wanted && !this.#wanted.has(measure)) continue;
      let series = it.series.get(measure);
      if (!series) {
        if ((++this.#count + 1) * this.minutes > MOST_VALUES) throw new MeasuresTooMany(this.#count, this.minutes);
        series = new Float64Array(this.minutes).fill(Number.NaN);
        it.series.set(measure, series);
      }
      for (let at = offsets[row]; at < offsets[row + 1]; at++) {
        const minute = slotMinute + at - offsets[row] - this.firstMinute;
        if (minute >= 0 && minute < this.minutes && !Number.isNaN(values[at])) series[minute] = values[at];
      }
    }
  }

  /** The uids of pods that something is known of only by them. */
  get uidsWithoutName(): string[] {
    const names = [...this.#known.values()].flatMap(({ subject }) => [subject.name, subject.container]);
    return [...new Set(names.flatMap((name) => uidOf(name) ?? []))];
  }

  /** Gives what is known by the uid of a pod to the pod, and to its service. What is measured under the name itself comes first. */
  nameThose(pods: ReadonlyMap<string, { readonly name: string; readonly service: string }>): void {
    const podOf = (name: string) => pods.get(uidOf(name) ?? '');
    for (const [key, { subject, series }] of [...this.#known]) {
      const [pod, around] = [podOf(subject.name), podOf(subject.container)];
      // What reports it is the machine's reader: the pod says whose it is.
      const service = pod?.service || subject.service;
      const renamed = { ...subject, name: pod?.name ?? subject.name, container: around?.name ?? subject.container, service };
      if (renamed.name === subject.name && renamed.container === subject.container) continue;
      this.#known.delete(key);
      const own = `${renamed.kind}\0${renamed.name}`;
      const known = this.#known.get(own);
      if (!known) this.#known.set(own, { subject: renamed, series });
      else for (const [measure, values] of series) known.series.set(measure, filledBy(known.series.get(measure), values));
    }
  }

  get subjects(): Subject[] {
    return [...this.#known.values()].map(({ subject }) => subject);
  }

  /** A value a minute, NaN where nothing came; undefined where the measure never did. */
  series(kind: SubjectKind, name: string, measure: Measure): Float64Array | undefined {
    const known = this.#known.get(`${kind}\0${name}`)?.series;
    const derived = derivedOf(measure);
    if (!derived) return known?.get(measure);
    const [of, per] = derived.map((it) => known?.get(it));
    if (!of || !per) return undefined;
    // A limit is reported seldom: it holds until the next.
    const held = measure === 'memory of limit' ? heldOn(per) : per;
    return of.map((value, at) => (held[at] > 0 ? value / held[at] : value === 0 ? 0 : Number.NaN));
  }

  /** The first of several measures that there is: senders have more than one way to say the same. */
  firstOf(kind: SubjectKind, name: string, measures: readonly Measure[]): Float64Array | undefined {
    for (const measure of measures) {
      const found = this.series(kind, name, measure);
      if (found?.some((value) => !Number.isNaN(value))) return found;
    }
    return undefined;
  }

  /** The last value that came; undefined when none did. */
  last(kind: SubjectKind, name: string, measure: Measure): number | undefined {
    const series = this.series(kind, name, measure);
    for (let at = (series?.length ?? 0) - 1; at >= 0; at--) if (!Number.isNaN(series![at])) return series![at];
    return undefined;
  }
}

function filledBy(first: Float64Array | undefined, second: Float64Array): Float64Array {
  return first?.map((value, at) => (Number.isNaN(value) ? second[at] : value)) ?? second;
}

function heldOn(values: Float64Array): Float64Array {
  let last = values.find((value) => !Number.isNaN(value)) ?? Number.NaN;
  return values.map((value) => {
    if (!Number.isNaN(value)) last = value;
    return last;
  });
}
