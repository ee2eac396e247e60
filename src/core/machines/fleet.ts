import type { MachineMeasures } from './measureColumns.ts';
import type { Layer, Rule, RuleId } from './rules.ts';
import { LAYERS, RULES, standingOf } from './rules.ts';
import type { Column, Reading } from './strata.ts';
import { medianBetween, type UsualRange, usualRange } from './usualRange.ts';

/** Minutes that are looked at together around a moment. */
const AROUND = 2;
/** A process that hardly computes waits for nothing that matters, cores. */
const LEAST_CORES = 0.005;
/** A machine that wants so little of its cores misses nothing that matters. */
const LEAST_SHARE = 0.001;
/** Restarts are counted over so many minutes. */
const RESTARTS_OVER = 10;

/** What containers may use: limits that are said in the inventory, where no measure says them. */
export type MemoryLimits = ReadonlyMap<string, number>;

/** The rules of a layer; a host that nothing is known of as a machine has those of both. */
export function rulesOf(layer: Layer): readonly Rule[] {
  return RULES_OF[layer];
}

const RULES_OF: Readonly<Record<string, readonly Rule[]>> = Object.fromEntries(
  LAYERS.map((layer) => [layer, RULES.filter((it) => it.layer === layer)]),
);

/** Measures of two windows, by rule: what each thing reads at a moment against what is usual for it. */
export class Fleet {
  readonly lit: MachineMeasures;
  readonly before: MachineMeasures;
  readonly #limits: MemoryLimits;
  readonly #series = { lit: new ByRule<Float64Array | undefined>(), before: new ByRule<Float64Array | undefined>() };
  readonly #usual = new ByRule<UsualRange | undefined>();
  readonly #most = new ByRule<number>();
  /** For values that are looked at and not kept: most things are calm, and nobody asks for their series again. */
  readonly #passing: Float64Array;

  constructor(lit: MachineMeasures, before: MachineMeasures, limits: MemoryLimits) {
    this.lit = lit;
    this.before = before;
    this.#limits = limits;
    this.#passing = new Float64Array(lit.minutes);
  }

  /** What something on a layer reads around a minute of the lit window. @param column one that stands on it, or is it */
  readings(layer: Layer, name: string, column: Column | undefined, minute: number): Reading[] {
    return RULES_OF[layer].map((rule) => {
      const value = medianBetween(this.#passingSeries(rule, name, column), minute - AROUND, minute + AROUND + 1);
      const usualNow = () => this.usual(rule, name, column);
      // Most are below their mark, where what is usual need not be known: it is worked out for those who are shown.
      const standing = value < rule.mark ? 'calm' : standingOf(value, usualNow(), rule.mark);
      return {
        rule: rule.id,
        value,
        standing,
        get usual() {
          return usualNow();
        },
      };
    });
  }

  /** Whether something on a layer is ill around a minute. */
  isIll(layer: Layer, name: string, column: Column | undefined, first: number, end: number): boolean {
    return RULES_OF[layer].some((rule) => {
      // Most are well below their mark all the time.
      if (!(this.#mostOf(rule, name, column) >= rule.mark)) return false;
      const value = medianBetween(this.series('lit', rule, name, column), first, end);
      return standingOf(value, this.usual(rule, name, column), rule.mark) === 'ill';
    });
  }

  /** Whether something on a layer ever comes so far in the lit window that it may be ill. */
  mayBeIll(layer: Layer, name: string, column: Column | undefined): boolean {
    return RULES_OF[layer].some((rule) => this.#mostOf(rule, name, column) >= rule.mark);
  }

  usual(rule: Rule, name: string, column: Column | undefined): UsualRange | undefined {
    return this.#usual.of(rule, name, () => {
      const series = this.series('before', rule, name, column);
      return series && usualRange(series, rule.least);
    });
  }

  /** The values of a rule minute by minute; undefined where there are none. */
  series(side: 'lit' | 'before', rule: Rule, name: string, column: Column | undefined): Float64Array | undefined {
    const measures = this[side];
    return this.#series[side].of(rule, name, () =>
      this.#work(measures, rule, name, column, () => new Float64Array(measures.minutes)),
    );
  }

  /** The same of the lit window, until the next is asked for. */
  #passingSeries(rule: Rule, name: string, column: Column | undefined): Float64Array | undefined {
    return this.#series.lit.known(rule, name) ?? this.#work(this.lit, rule, name, column, () => this.#passing);
  }

  #mostOf(rule: Rule, name: string, column: Column | undefined): number {
    return this.#most.of(rule, name, () => {
      const series = this.#passingSeries(rule, name, column);
      let most = Number.NEGATIVE_INFINITY;
      if (series) for (let at = 0; at < series.length; at++) if (series[at] > most) most = series[at];
      return most;
    });
  }

  /** @param room where values are written that no measure has as they are */
  #work(
    measures: MachineMeasures,
    rule: Rule,
    name: string,
    column: Column | undefined,
    room: () => Float64Array,
  ): Float64Array | undefined {
    switch (rule.id) {
      case 'run wait':
        return waitShare(measures.series('process', name, 'run wait'), measures.series('process', name, 'cores'), room);
      case 'steal':
        return stolenShare(
          measures.firstOf('host', name, rule.measures),
          measures.firstOf('host', name, ['cpu', 'cpu of time']),
          room,
        );
      case 'cores not got':
        return added(
          measures.series('container', name, 'throttled'),
          column && measures.series('process', column.instance, 'run wait'),
          room,
        );
      case 'killed':
        return increases(measures.firstOf('container', name, ['restarts', 'kills']), room);
      case 'memory of limit': {
        const limit = measures.last('container', name, 'memory limit') ?? this.#limits.get(name);
        const used = limit ? measures.series('container', name, 'memory') : undefined;
        return used && filled(room(), (at) => used[at] / limit!);
      }
      default:
        return measures.firstOf(rule.kind, name, rule.measures);
    }
  }
}

/** What is known of each thing by each rule; worked out once. */
class ByRule<T> {
  readonly #known = new Map<RuleId, Map<string, T>>();

  known(rule: Rule, name: string): T | undefined {
    return this.#known.get(rule.id)?.get(name);
  }

  of(rule: Rule, name: string, work: () => T): T {
    let byName = this.#known.get(rule.id);
    if (!byName) {
      byName = new Map();
      this.#known.set(rule.id, byName);
    }
    const known = byName.get(name);
    if (known !== undefined || byName.has(name)) return known as T;
    const found = work();
    byName.set(name, found);
    return found;
  }
}

function filled(values: Float64Array, valueAt: (at: number) => number): Float64Array {
  for (let at = 0; at < values.length; at++) values[at] = valueAt(at);
  return values;
}

/** Of the time in which a process could run, the part that it waited. */
function waitShare(wait: Float64Array | undefined, cores: Float64Array | undefined, room: () => Float64Array) {
  if (!wait || !cores) return undefined;
  return filled(room(), (at) => {
    const wanted = wait[at] + cores[at];
    return Number.isNaN(wanted) ? Number.NaN : wanted < LEAST_CORES ? 0 : wait[at] / wanted;
  });
}

/** Of what a machine wanted to compute, the part that its host did not give it. */
function stolenShare(stolen: Float64Array | undefined, used: Float64Array | undefined, room: () => Float64Array) {
  if (!stolen || !used) return stolen;
  return filled(room(), (at) => {
    const wanted = stolen[at] + used[at];
    return Number.isNaN(wanted) ? Number.NaN : wanted < LEAST_SHARE ? 0 : stolen[at] / wanted;
  });
}

function added(a: Float64Array | undefined, b: Float64Array | undefined, room: () => Float64Array) {
  if (!a || !b) return a ?? b;
  return filled(room(), (at) => (Number.isNaN(a[at]) ? b[at] : Number.isNaN(b[at]) ? a[at] : a[at] + b[at]));
}

/** How much a count has grown over the last minutes. */
function increases(counts: Float64Array | undefined, room: () => Float64Array) {
  return (
    counts &&
    filled(room(), (at) => {
      for (let from = Math.max(0, at - RESTARTS_OVER); from < at; from++)
        if (!Number.isNaN(counts[from])) return Math.max(0, counts[at] - counts[from]);
      return Number.isNaN(counts[at]) ? Number.NaN : 0;
    })
  );
}
