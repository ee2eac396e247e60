import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, numberListsOf, type Segment } from '../columns/segment.ts';
import {
  derivedOf,
  type Measure,
  type MeasureSource,
  RAW_MEASURES,
  type RawMeasure,
  type Subject,
  type SubjectKind,
} from './measures.ts';
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

/** Series stand side by side in pieces of so many values: an array for each would take longer to make than to fill. */
const PIECE_VALUES = 65_536;
const MEASURES = RAW_MEASURES.length;

/** Measures of a stretch of whole minutes. */
export class MachineMeasures {
  readonly firstMinute: number;
  readonly minutes: number;
  readonly #wanted: ReadonlySet<string> | undefined;
  /** By kind and name, the place of what is measured. */
  readonly #places = new Map<SubjectKind, Map<string, number>>();
  /** By place; undefined for one that has become another's. */
  readonly #subjects: (Subject | undefined)[] = [];
  /** By place and measure, 1 + the number of the series; 0 where there is none. */
  #numbers = new Int32Array(64 * MEASURES);
  readonly #pieces: Float64Array[] = [];
  readonly #eachPiece: number;
  #count = 0;

  /** @param firstMinute since 1970-01-01 @param minutes how many @param wanted only these measures; all by default */
  constructor(firstMinute: number, minutes: number, wanted?: readonly RawMeasure[]) {
    this.#wanted = wanted && new Set(wanted);
    this.firstMinute = firstMinute;
    this.minutes = minutes;
    this.#eachPiece = Math.max(1, Math.floor(PIECE_VALUES / Math.max(1, minutes)));
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
    const measureOf = measures.texts.map((text) =>
      !this.#wanted || this.#wanted.has(text) ? (RAW_MEASURES as readonly string[]).indexOf(text) : -1,
    );
    // Rows of one thing stand together mostly: it is looked up once.
    let [lastName, lastKind, place] = [-1, -1, -1];
    for (let row = 0; row < segment.rows; row++) {
      if (names.values[row] !== lastName || kinds.values[row] !== lastKind) {
        [lastName, lastKind] = [names.values[row], kinds.values[row]];
        const kind = textAt(kinds, row) as SubjectKind;
        const name = textAt(names, row);
        place =
          this.#placeOf(kind, name) ??
          this.#newPlace({
            kind,
            name,
            service: textAt(services, row),
            host: textAt(hosts, row),
            container: textAt(containers, row),
          });
      }
      const measure = measureOf[measures.values[row] - 1] ?? -1;
      if (measure < 0) continue;
      const number = this.#numberOf(place, measure);
      const piece = this.#pieces[Math.floor((number - 1) / this.#eachPiece)];
      const start = ((number - 1) % this.#eachPiece) * this.minutes;
      const [from, first] = [offsets[row], slotMinute - this.firstMinute];
      const end = Math.min(offsets[row + 1] - from, this.minutes - first);
      for (let at = Math.max(0, -first); at < end; at++) {
        const value = values[from + at];
        if (!Number.isNaN(value)) piece[start + first + at] = value;
      }
    }
  }

  #placeOf(kind: SubjectKind, name: string): number | undefined {
    return this.#places.get(kind)?.get(name);
  }

  #newPlace(subject: Subject): number {
    const place = this.#subjects.push(subject) - 1;
    if ((place + 1) * MEASURES > this.#numbers.length) {
      const wider = new Int32Array(this.#numbers.length * 2);
      wider.set(this.#numbers);
      this.#numbers = wider;
    }
    const byName = this.#places.get(subject.kind);
    if (byName) byName.set(subject.name, place);
    else this.#places.set(subject.kind, new Map([[subject.name, place]]));
    return place;
  }

  /** @returns 1 + the number of the series, a new one if need be @throws MeasuresTooMany */
  #numberOf(place: number, measure: number): number {
    const known = this.#numbers[place * MEASURES + measure];
    if (known > 0) return known;
    if ((this.#count + 2) * this.minutes > MOST_VALUES) throw new MeasuresTooMany(this.#count + 1, this.minutes);
    if (this.#count % this.#eachPiece === 0) this.#pieces.push(new Float64Array(this.#eachPiece * this.minutes).fill(Number.NaN));
    this.#numbers[place * MEASURES + measure] = ++this.#count;
    return this.#count;
  }

  #stored(place: number, measure: number): Float64Array | undefined {
    const number = this.#numbers[place * MEASURES + measure];
    if (number === 0) return undefined;
    const start = ((number - 1) % this.#eachPiece) * this.minutes;
    return this.#pieces[Math.floor((number - 1) / this.#eachPiece)].subarray(start, start + this.minutes);
  }

  /** The uids of pods that something is known of only by them. */
  get uidsWithoutName(): string[] {
    const names = this.subjects.flatMap(({ name, container }) => [name, container]);
    return [...new Set(names.flatMap((name) => uidOf(name) ?? []))];
  }

  /** Gives what is known by the uid of a pod to the pod, and to its service. What is measured under the name itself comes first. */
  nameThose(pods: ReadonlyMap<string, { readonly name: string; readonly service: string }>): void {
    const podOf = (name: string) => pods.get(uidOf(name) ?? '');
    for (const [place, subject] of this.#subjects.entries()) {
      if (!subject) continue;
      const [pod, around] = [podOf(subject.name), podOf(subject.container)];
      // What reports it is the machine's reader: the pod says whose it is.
      const service = pod?.service || subject.service;
      const renamed = { ...subject, name: pod?.name ?? subject.name, container: around?.name ?? subject.container, service };
      if (renamed.name === subject.name) {
        this.#subjects[place] = renamed;
        continue;
      }
      const byName = this.#places.get(subject.kind)!;
      byName.delete(subject.name);
      const known = byName.get(renamed.name);
      if (known === undefined) {
        byName.set(renamed.name, place);
        this.#subjects[place] = renamed;
      } else {
        this.#giveTo(known, place);
        this.#subjects[place] = undefined;
      }
    }
  }

  /** What is measured at a place fills what is not at another. */
  #giveTo(to: number, from: number): void {
    for (let measure = 0; measure < MEASURES; measure++) {
      const given = this.#stored(from, measure);
      if (!given) continue;
      const own = this.#stored(to, measure);
      if (!own) this.#numbers[to * MEASURES + measure] = this.#numbers[from * MEASURES + measure];
      else for (let at = 0; at < own.length; at++) if (Number.isNaN(own[at])) own[at] = given[at];
    }
  }

  get subjects(): Subject[] {
    return this.#subjects.filter((it) => it !== undefined);
  }

  /** A value a minute, NaN where nothing came; undefined where the measure never did. */
  series(kind: SubjectKind, name: string, measure: Measure): Float64Array | undefined {
    const place = this.#placeOf(kind, name);
    if (place === undefined) return undefined;
    const derived = derivedOf(measure);
    if (!derived) return this.#stored(place, RAW_MEASURES.indexOf(measure as RawMeasure));
    const [of, per] = derived.map((it) => this.#stored(place, RAW_MEASURES.indexOf(it)));
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

function heldOn(values: Float64Array): Float64Array {
  let last = values.find((value) => !Number.isNaN(value)) ?? Number.NaN;
  return values.map((value) => {
    if (!Number.isNaN(value)) last = value;
    return last;
  });
}
