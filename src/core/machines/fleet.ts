import type { MachineMeasures } from './measureColumns.ts';
import type { Layer, Rule } from './rules.ts';
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
  readonly #series = new Map<string, Float64Array | undefined>();
  readonly #usual = new Map<string, UsualRange | undefined>();

  constructor(lit: MachineMeasures, before: MachineMeasures, limits: MemoryLimits) {
    this.lit = lit;
    this.before = before;
    this.#limits = limits;
  }

  /** What something on a layer reads around a minute of the lit window. @param column one that stands on it, or is it */
  readings(layer: Layer, name: string, column: Column | undefined, minute: number): Reading[] {
    return RULES_OF[layer].map((rule) => {
      const value = medianBetween(this.series('lit', rule, name, column), minute - AROUND, minute + AROUND + 1);
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
      const series = this.series('lit', rule, name, column);
      // Most are well below their mark all the time.
      if (!series || !this.#reaches(rule, name, series)) return false;
      return standingOf(medianBetween(series, first, end), this.usual(rule, name, column), rule.mark) === 'ill';
    });
  }

  usual(rule: Rule, name: string, column: Column | undefined): UsualRange | undefined {
    const key = `${rule.id}\0${name}`;
    if (!this.#usual.has(key)) {
      const series = this.series('before', rule, name, column);
      this.#usual.set(key, series && usualRange(series, rule.least));
    }
    return this.#usual.get(key);
  }

  /** The values of a rule minute by minute; undefined where there are none. */
  series(side: 'lit' | 'before', rule: Rule, name: string, column: Column | undefined): Float64Array | undefined {
    const key = `${side}\0${rule.id}\0${name}`;
    if (!this.#series.has(key)) this.#series.set(key, this.#work(this[side], rule, name, column));
    return this.#series.get(key);
  }

  readonly #most = new Map<string, number>();

  #reaches(rule: Rule, name: string, series: Float64Array): boolean {
    const key = `${rule.id}\0${name}`;
    let most = this.#most.get(key);
    if (most === undefined) {
      most = 0;
      for (const value of series) if (value > most) most = value;
      this.#most.set(key, most);
    }
    return most >= rule.mark;
  }

  #work(measures: MachineMeasures, rule: Rule, name: string, column: Column | undefined): Float64Array | undefined {
    switch (rule.id) {
      case 'run wait':
        return waitShare(measures.series('process', name, 'run wait'), measures.series('process', name, 'cores'));
      case 'steal':
        return stolenShare(measures.firstOf('host', name, rule.measures), measures.firstOf('host', name, ['cpu', 'cpu of time']));
      case 'cores not got':
        return added(
          measures.series('container', name, 'throttled'),
          column && measures.series('process', column.instance, 'run wait'),
        );
      case 'killed':
        return increases(measures.firstOf('container', name, ['restarts', 'kills']));
      case 'memory of limit': {
        const limit = measures.last('container', name, 'memory limit') ?? this.#limits.get(name);
        return limit ? measures.series('container', name, 'memory')?.map((value) => value / limit) : undefined;
      }
      default:
        return measures.firstOf(rule.kind, name, rule.measures);
    }
  }
}

/** Of the time in which a process could run, the part that it waited. */
function waitShare(wait: Float64Array | undefined, cores: Float64Array | undefined): Float64Array | undefined {
  if (!wait || !cores) return undefined;
  return wait.map((value, at) => {
    const wanted = value + cores[at];
    return Number.isNaN(wanted) ? Number.NaN : wanted < LEAST_CORES ? 0 : value / wanted;
  });
}

/** Of what a machine wanted to compute, the part that its host did not give it. */
function stolenShare(stolen: Float64Array | undefined, used: Float64Array | undefined): Float64Array | undefined {
  if (!stolen || !used) return stolen;
  return stolen.map((value, at) => {
    const wanted = value + used[at];
    return Number.isNaN(wanted) ? Number.NaN : wanted < LEAST_SHARE ? 0 : value / wanted;
  });
}

function added(a: Float64Array | undefined, b: Float64Array | undefined): Float64Array | undefined {
  if (!a || !b) return a ?? b;
  return a.map((value, at) => (Number.isNaN(value) ? b[at] : Number.isNaN(b[at]) ? value : value + b[at]));
}

/** How much a count has grown over the last minutes. */
function increases(counts: Float64Array | undefined): Float64Array | undefined {
  if (!counts) return undefined;
  return counts.map((value, at) => {
    for (let from = Math.max(0, at - RESTARTS_OVER); from < at; from++)
      if (!Number.isNaN(counts[from])) return Math.max(0, value - counts[from]);
    return Number.isNaN(value) ? Number.NaN : 0;
  });
}
