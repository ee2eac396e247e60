import { type Codes, codesOf, listsOf, numbersOf, type Segment } from '../columns/segment.ts';
import { attributeColumn, attributeKeys } from '../requests/requestColumns.ts';
import { INSTANCE, SERVICE, SEVERITY, SHAPE, TIME, VALUES } from './logColumns.ts';
import { type Severity, severityOf } from './severity.ts';
import { HOLE, type Template } from './template.ts';

export type Side = 'lit' | 'before';

/** Counts of both windows by stretch. */
export interface SideCounts {
  readonly lit: Float64Array;
  readonly before: Float64Array;
}

/** What is known of the lines of one shape. */
export interface ShapeSum extends SideCounts {
  /** The gravest severity of its lit lines; of those before where it has none. */
  severity: number;
  readonly services: Map<string, number>;
  /** By hole the values of a sample of its lines, how often each is met in either window. */
  readonly holes: ValueCounts[];
  firstLit: number;
}

/** Values with how often they are met; `others` once there are too many to keep apart. */
export interface ValueCounts {
  readonly values: Map<string, [lit: number, before: number]>;
  readonly others: [lit: number, before: number];
}

/** Values of a field or hole that are kept apart, and of all together. */
const MOST_VALUES = 400;
const MOST_KEPT = 250_000;
/** Fields that are counted. */
const MOST_FIELDS = 400;
/** Lines of a shape in a segment whose values are looked at: fewer where there are many segments. */
const MOST_SAMPLED = 300;
const LEAST_SAMPLED = 60;
/** Up to so long a window the most are looked at. */
const SHORT_MS = 3 * 3_600_000;

/** How the lines of two windows are counted. */
export interface SummaryFrame {
  readonly stepMs: number;
  readonly litFrom: number;
  readonly litStretches: number;
  readonly beforeFrom: number;
  readonly beforeStretches: number;
}

/** Counts lines by severity, shape and field over two windows. Memory grows with shapes and values, not with lines. */
export class LogSummary {
  readonly severities = new Map<Severity, SideCounts>();
  readonly shapes = new Map<string, ShapeSum>();
  readonly fields = new Map<string, ValueCounts>();
  readonly totals = { lit: 0, before: 0 };
  readonly #frame: SummaryFrame;
  #kept = 0;

  readonly #sampled: number;

  constructor(frame: SummaryFrame) {
    this.#frame = frame;
    const ms = frame.stepMs * Math.max(frame.litStretches, frame.beforeStretches);
    this.#sampled = Math.max(LEAST_SAMPLED, Math.round(MOST_SAMPLED * Math.min(1, SHORT_MS / ms)));
  }

  /**
   * Adds rows of a segment.
   *
   * @param from of the segment, epoch milliseconds @param of the shape that a shape's id is counted as, and both templates
   */
  add(
    side: Side,
    segment: Segment,
    from: number,
    rows: Uint32Array,
    of: (id: string) => { readonly id: string; readonly template: Template; readonly own: Template },
  ): void {
    const { stepMs, litFrom, beforeFrom, litStretches, beforeStretches } = this.#frame;
    const start = side === 'lit' ? litFrom : beforeFrom;
    const last = (side === 'lit' ? litStretches : beforeStretches) - 1;
    const times = numbersOf(segment, TIME);
    const severity = codesOf(segment, SEVERITY).values;
    const shape = codesOf(segment, SHAPE);
    const service = codesOf(segment, SERVICE);
    const values = listsOf(segment, VALUES);
    // A shape none of whose lines fits is none of these.
    const sums = new Array<ReturnType<typeof begin> | undefined>(shape.texts.length).fill(undefined);
    const begin = (code: number) => {
      const counted = of(shape.texts[code]);
      const sum = this.#shape(counted.id, counted.template);
      const it = { sum, counts: sum[side], plan: holePlan(counted.own, counted.template), sampled: 0 };
      sums[code] = it;
      return it;
    };
    const bySeverity = Array.from({ length: 25 }, (_, number) => severityOf(number));
    const severities = new Map<Severity, Float64Array>();
    const byService = new Uint32Array(sums.length * (service.texts.length + 1));
    const index = side === 'lit' ? 0 : 1;
    this.totals[side] += rows.length;
    for (const row of rows) {
      const ms = from + times[row] / 1e6;
      const stretch = Math.min(last, Math.floor((ms - start) / stepMs));
      const grave = severity[row];
      let ofSeverity = severities.get(bySeverity[grave]);
      if (!ofSeverity) {
        ofSeverity = this.#severity(bySeverity[grave])[side];
        severities.set(bySeverity[grave], ofSeverity);
      }
      ofSeverity[stretch]++;
      const code = shape.values[row] - 1;
      const it = sums[code] ?? begin(code);
      it.counts[stretch]++;
      if (side === 'lit') {
        if (grave > it.sum.severity) it.sum.severity = grave;
        if (ms < it.sum.firstLit) it.sum.firstLit = ms;
      }
      byService[code * (service.texts.length + 1) + service.values[row]]++;
      if (it.sampled++ >= this.#sampled) continue;
      for (let hole = 0; hole < it.plan.length; hole++)
        if (it.plan[hole].length > 0)
          this.#count(it.sum.holes[hole], filledHole(it.plan[hole], values.texts, values.items, values.offsets[row]), index, 1);
    }
    for (const [code, it] of sums.entries())
      for (const [at, name] of service.texts.entries()) {
        const lines = byService[code * (service.texts.length + 1) + at + 1];
        if (it && lines > 0) it.sum.services.set(name, (it.sum.services.get(name) ?? 0) + lines);
      }
    for (const key of attributeKeys(segment)) this.#addField(key, attributeColumn(key), segment, rows, index);
    this.#addField('service', SERVICE, segment, rows, index);
    this.#addField('service.instance.id', INSTANCE, segment, rows, index);
  }

  #addField(field: string, column: string, segment: Segment, rows: Uint32Array, index: 0 | 1): void {
    const { values, texts } = codesOf(segment, column);
    const counts = new Uint32Array(texts.length + 1);
    for (const row of rows) counts[values[row]]++;
    let sum = this.fields.get(field);
    if (!sum) {
      if (this.fields.size >= MOST_FIELDS) return;
      sum = { values: new Map(), others: [0, 0] };
      this.fields.set(field, sum);
    }
    for (let code = 1; code < counts.length; code++) if (counts[code] > 0) this.#count(sum, texts[code - 1], index, counts[code]);
  }

  #count({ values, others }: ValueCounts, value: string, index: 0 | 1, times: number): void {
    const known = values.get(value);
    if (known) known[index] += times;
    else if (values.size < MOST_VALUES && this.#kept < MOST_KEPT) {
      this.#kept++;
      values.set(value, index === 0 ? [times, 0] : [0, times]);
    } else others[index] += times;
  }

  #severity(severity: Severity): SideCounts {
    let sum = this.severities.get(severity);
    if (!sum) {
      sum = this.#counts();
      this.severities.set(severity, sum);
    }
    return sum;
  }

  #shape(id: string, template: Template): ShapeSum {
    let sum = this.shapes.get(id);
    if (!sum) {
      const holes = template.join('').split(HOLE).length - 1;
      sum = {
        ...this.#counts(),
        severity: 0,
        services: new Map(),
        holes: Array.from({ length: holes }, () => ({ values: new Map(), others: [0, 0] })),
        firstLit: Number.POSITIVE_INFINITY,
      };
      this.shapes.set(id, sum);
    }
    return sum;
  }

  #counts(): SideCounts {
    return { lit: new Float64Array(this.#frame.litStretches), before: new Float64Array(this.#frame.beforeStretches) };
  }
}

/** What fills a hole: literal texts and the values of holes of the line's own template. */
export type HolePlan = readonly (string | number)[];

/** Templates are few, and each is asked about for every stretch of time. */
const plans = new WeakMap<Template, WeakMap<Template, readonly HolePlan[]>>();

/**
 * How the holes of a shape are filled by the values of a line that matched a narrower template, which has the same parts. Of one that was joined by
 * hand and has others nothing fills them.
 *
 * @returns a plan a hole
 */
export function holePlan(own: Template, general: Template): readonly HolePlan[] {
  let ofOwn = plans.get(own);
  if (!ofOwn) {
    ofOwn = new WeakMap();
    plans.set(own, ofOwn);
  }
  let plan = ofOwn.get(general);
  if (!plan) {
    plan = planned(own, general);
    ofOwn.set(general, plan);
  }
  return plan;
}

function planned(own: Template, general: Template): HolePlan[] {
  const found: HolePlan[] = [];
  let next = 0;
  const isLike = own.length === general.length && own.every((part, at) => part === general[at] || at % 2 === 1);
  for (const [at, part] of general.entries()) {
    if (!isLike) {
      for (const _ of part.split(HOLE).slice(1)) found.push([]);
      continue;
    }
    const ownPart = own[at];
    const holes = ownPart.split(HOLE).length - 1;
    const generalHoles = part.split(HOLE).length - 1;
    if (part === HOLE && ownPart !== HOLE) {
      const plan: (string | number)[] = [];
      for (const [index, literal] of ownPart.split(HOLE).entries()) {
        if (index > 0) plan.push(next + index - 1);
        if (literal !== '') plan.push(literal);
      }
      found.push(plan);
    } else for (let hole = 0; hole < generalHoles; hole++) found.push([next + hole]);
    next += holes;
  }
  return found;
}

function filledHole(plan: HolePlan, texts: readonly string[], items: Codes, offset: number): string {
  if (plan.length === 1 && typeof plan[0] === 'number') return texts[items[offset + plan[0]]] ?? '';
  return plan.map((piece) => (typeof piece === 'number' ? (texts[items[offset + piece]] ?? '') : piece)).join('');
}

/** The values of a line by the holes of the shape that it is counted as. @param values those of its own template */
export function generalValues(plan: readonly HolePlan[], values: readonly string[]): string[] {
  return plan.map((hole) => hole.map((piece) => (typeof piece === 'number' ? (values[piece] ?? '') : piece)).join(''));
}
