import { codesOf, listsOf, numbersOf, type Segment } from '../../columns/segment.ts';
import { addValue, countOf, emptySketch, mergeInto, quantiles, type Sketch } from '../../measures/sketch.ts';
import { INSTANCE, SERVICE, SHAPE, TIME, VALUES } from '../logColumns.ts';
import { type HolePlan, holePlan } from '../logSummary.ts';
import { HOLE, type Template } from '../template.ts';

/** What lines say in one place, as numbers of one stretch of time and one writer. */
export interface NumberSum {
  count: number;
  sum: number;
  least: number;
  most: number;
  readonly sketch: Sketch;
}

/** Where a number stands: a hole, from 0, of the shape that lines are counted as. */
export interface NumberPlace {
  readonly shape: string;
  readonly hole: number;
}

/** As which shape the lines of a segment's ids are counted, with both templates. */
export type CountedAs = (id: string) => { readonly id: string; readonly template: Template; readonly own: Template };

/** Writers that are kept apart, at most; all others are one, without a name. */
const MOST_WRITERS = 40;

/** Numbers that stand in one place of the lines of a shape, summed by stretches of time and by who writes them. */
export class LineNumbers {
  /** By `writerKey` and stretch. */
  readonly sums = new Map<string, (NumberSum | undefined)[]>();
  readonly #place: NumberPlace;
  readonly #frame: { readonly from: number; readonly stepMs: number; readonly stretches: number };
  /** Lines in which no number stands there. */
  others = 0;

  /** @param frame epoch milliseconds */
  constructor(place: NumberPlace, frame: { readonly from: number; readonly stepMs: number; readonly stretches: number }) {
    this.#place = place;
    this.#frame = frame;
  }

  /** Adds rows of a segment. @param from of the segment, epoch milliseconds */
  add(segment: Segment, from: number, rows: Uint32Array, countedAs: CountedAs): void {
    const shape = codesOf(segment, SHAPE);
    const plans = shape.texts.map((id): HolePlan | undefined => {
      const { id: counted, own, template } = countedAs(id);
      const plan = counted === this.#place.shape ? holePlan(own, template)[this.#place.hole] : undefined;
      return plan && plan.length > 0 ? plan : undefined;
    });
    if (plans.every((it) => it === undefined)) return;
    const service = codesOf(segment, SERVICE);
    const instance = codesOf(segment, INSTANCE);
    const values = listsOf(segment, VALUES);
    const times = numbersOf(segment, TIME);
    const { from: start, stepMs, stretches } = this.#frame;
    for (const row of rows) {
      const plan = plans[shape.values[row] - 1];
      if (!plan) continue;
      const first = values.offsets[row];
      const text = plan.map((it) => (typeof it === 'number' ? (values.texts[values.items[first + it]] ?? '') : it)).join('');
      const number = numberIn(text);
      const sums =
        number === undefined
          ? undefined
          : this.#sumsOf(
              writerKey(
                service.texts[service.values[row] - 1] ?? '',
                instance.values[row] > 0 ? instance.texts[instance.values[row] - 1] : '',
              ),
            );
      if (!sums) {
        this.others++;
        continue;
      }
      const stretch = Math.min(stretches - 1, Math.max(0, Math.floor((from + times[row] / 1e6 - start) / stepMs)));
      sums[stretch] ??= emptySum();
      addNumber(sums[stretch], number!);
    }
  }

  #sumsOf(key: string): (NumberSum | undefined)[] {
    const known = this.sums.get(key);
    if (known) return known;
    if (this.sums.size >= MOST_WRITERS && key !== OTHERS) return this.#sumsOf(OTHERS);
    const sums = new Array<NumberSum | undefined>(this.#frame.stretches).fill(undefined);
    this.sums.set(key, sums);
    return sums;
  }

  /** Of all writers, by stretch. */
  byStretch(): (NumberSum | undefined)[] {
    return Array.from({ length: this.#frame.stretches }, (_, at) =>
      merged([...this.sums.values()].flatMap((sums) => sums[at] ?? [])),
    );
  }

  /** Of all writers over all of the time; undefined when no line has a number there. */
  whole(): NumberSum | undefined {
    return merged([...this.sums.values()].flatMap((sums) => sums.flatMap((it) => it ?? [])));
  }
}

const OTHERS = JSON.stringify(['', '']);

/** Who writes: a service and its instance, `''` where a line names none. */
export function writerKey(service: string, instance: string): string {
  return JSON.stringify([service, instance]);
}

export function readWriter(key: string): { service: string; instance: string } {
  const [service, instance] = JSON.parse(key) as [string, string];
  return { service, instance };
}

function emptySum(): NumberSum {
  return { count: 0, sum: 0, least: Number.POSITIVE_INFINITY, most: Number.NEGATIVE_INFINITY, sketch: emptySketch() };
}

function addNumber(to: NumberSum, number: number): void {
  to.count++;
  to.sum += number;
  to.least = Math.min(to.least, number);
  to.most = Math.max(to.most, number);
  addValue(to.sketch, number);
}

function merged(sums: readonly NumberSum[]): NumberSum | undefined {
  if (sums.length === 0) return undefined;
  const all = emptySum();
  for (const { count, sum, least, most, sketch } of sums) {
    all.count += count;
    all.sum += sum;
    all.least = Math.min(all.least, least);
    all.most = Math.max(all.most, most);
    mergeInto(all.sketch, sketch);
  }
  return all;
}

/**
 * The values below which half and 95 % of the numbers lie, right to 2.2 %. Negative numbers count as zero in a sketch: with any of them there
 * is no such value.
 */
export function percentilesOf({ sketch, least, most }: NumberSum): { p50: number | null; p95: number | null } {
  if (least < 0 || countOf(sketch) === 0) return { p50: null, p95: null };
  // A bucket's middle may lie beyond what was met.
  const [p50, p95] = quantiles(sketch, [0.5, 0.95]).map((it) => (it === null ? null : Math.min(most, Math.max(least, it))));
  return { p50, p95 };
}

const PLAIN = /^[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d{1,3})?/;
const GROUPED = /^[+-]?\d{1,3}(?:,\d{3})+(?:\.\d+)?/;

/** The number that a value is, with a unit right behind it or not; undefined where it is none, such as an address or a date. */
export function numberIn(text: string): number | undefined {
  const trimmed = text.trim();
  const found = GROUPED.exec(trimmed) ?? PLAIN.exec(trimmed);
  if (!found || !/^\s?[A-Za-zµ%]{0,5}$/.test(trimmed.slice(found[0].length))) return undefined;
  const number = Number(found[0].replaceAll(',', ''));
  return Number.isFinite(number) ? number : undefined;
}

/** Units as lines write them, in the code that measures have (UCUM). */
const UNITS: Readonly<Record<string, string>> = {
  ns: 'ns',
  us: 'us',
  µs: 'us',
  ms: 'ms',
  s: 's',
  sec: 's',
  seconds: 's',
  '%': '%',
  B: 'By',
  bytes: 'By',
  kB: 'kBy',
  KB: 'kBy',
  KiB: 'KiBy',
  MB: 'MBy',
  MiB: 'MiBy',
};

/** The unit that a template says beside a hole: right behind it, as the next word, or at the end of its name (`wait_ms=`); `''` for none. */
export function unitBeside(template: Template, hole: number): string {
  let next = 0;
  for (const [at, part] of template.entries()) {
    const pieces = part.split(HOLE);
    for (let index = 1; index < pieces.length; index++, next++) {
      if (next !== hole) continue;
      const following = /^\s*$/.test(template[at + 1] ?? 'x') ? (template[at + 2] ?? '') : '';
      const name = (template[at - 2] ?? '').split(/[._-]/).at(-1) ?? '';
      return UNITS[pieces[index]] ?? UNITS[following.replace(/[.,]$/, '')] ?? (at >= 2 ? UNITS[name] : undefined) ?? '';
    }
  }
  return '';
}
