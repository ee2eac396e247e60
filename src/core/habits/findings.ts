import { quantileSorted } from 'd3-array';
import { type Frame, frameOfKey, functionKey } from '../profile/stackSample.ts';
import type { Amount, Cell, HabitSum } from './habitCells.ts';
import { HABITS, type HabitId } from './habits.ts';

/** A habit that takes more than is usual for it. */
export interface Finding {
  readonly habit: HabitId;
  readonly service: string;
  readonly version: string;
  /** The line that has most of it. */
  readonly place: Frame;
  readonly lines: readonly { readonly line: number; readonly value: number }[];
  /** Of all samples of the version in the lit window, 0 to 1, with its 95 % interval. */
  readonly share: number;
  readonly interval: readonly [low: number, high: number];
  readonly samples: number;
  /** What it takes, in the unit of the samples (nanoseconds). */
  readonly value: number;
  /** Shares of the habit elsewhere: other services of the runtime, other versions, other hours. */
  readonly usual: Usual | null;
  /** What it takes beyond the upper bound of what is usual; null when that is not known. */
  readonly overUsual: number | null;
  readonly verdict: 'over usual' | 'in range' | 'not enough data';
  readonly by: HabitSum['by'];
}

export interface Usual {
  readonly low: number;
  readonly high: number;
  readonly shares: readonly number[];
}

export interface Hours {
  /** Hours of the lit window, first and last; hours since 1970-01-01. */
  readonly first: number;
  readonly last: number;
}

/** A share is measured on so many samples at least. */
const FEWEST_SAMPLES = 60;
/** A usual range is made of so many cells at least. */
const FEWEST_CELLS = 5;
/** Habits that take less of their service are not worth a row. */
const LEAST_SHARE = 0.02;

/**
 * Habits of the lit hours against what is usual for them: the 5–95 % range of their share over other services of the runtime, other versions,
 * and, where a service has but one version, its other hours. Over usual = (share − upper bound) × cost of the version.
 *
 * @param lit cells of the lit window alone @param around cells of a longer stretch, those of the lit window among them
 * @param runtimeOf the runtime of a service; only those of the same one are held against each other
 */
export function findings(
  lit: readonly Cell[],
  around: readonly Cell[],
  hours: Hours,
  runtimeOf: (service: string) => string,
): Finding[] {
  const found: Finding[] = [];
  for (const of of groups(lit).values()) {
    const { service, version } = of[0];
    for (const sum of habitsOf(of).values()) {
      const { habit } = sum;
      const unit = HABITS[habit].unit;
      const whole = amountOf(of, unit);
      const share = whole.value > 0 ? sum.value / whole.value : 0;
      if (share < LEAST_SHARE || sum.count < 1) continue;
      const usual = usualOf(around, { habit, service, version, hours, runtime: runtimeOf(service) }, runtimeOf);
      const interval = wilson(sum.count, whole.count);
      const overUsual = usual ? Math.max(0, share - usual.high) * whole.value : null;
      const isEnough = whole.count >= FEWEST_SAMPLES && usual !== null;
      // Beyond the range with all of its own interval, so that few samples claim nothing.
      const isOver = isEnough && interval[0] > usual.high;
      const lines = [...sum.lines].map(([line, value]) => ({ frame: frameOfKey(line), value })).sort((a, b) => b.value - a.value);
      found.push({
        habit,
        service,
        version,
        place: lines[0].frame,
        lines: lines.map(({ frame, value }) => ({ line: frame.line, value })),
        share,
        interval,
        samples: Math.round(sum.count),
        value: sum.value,
        usual,
        overUsual,
        verdict: isOver ? 'over usual' : isEnough ? 'in range' : 'not enough data',
        by: sum.by,
      });
    }
  }
  const rank = { 'over usual': 0, 'not enough data': 1, 'in range': 2 };
  return found.sort((a, b) => rank[a.verdict] - rank[b.verdict] || (b.overUsual ?? 0) - (a.overUsual ?? 0) || b.value - a.value);
}

function groups(cells: readonly Cell[]): Map<string, Cell[]> {
  const found = new Map<string, Cell[]>();
  for (const cell of cells) {
    const key = `${cell.service}\0${cell.version}`;
    found.set(key, [...(found.get(key) ?? []), cell]);
  }
  return found;
}

function habitsOf(cells: readonly Cell[]): Map<string, HabitSum> {
  const sums = new Map<string, HabitSum>();
  for (const { habits } of cells)
    for (const [key, { habit, by, lines, value, count }] of habits) {
      const sum = sums.get(key) ?? { habit, by, lines: new Map<string, number>(), value: 0, count: 0 };
      sums.set(key, sum);
      sum.value += value;
      sum.count += count;
      for (const [line, of] of lines) sum.lines.set(line, (sum.lines.get(line) ?? 0) + of);
    }
  return sums;
}

function amountOf(cells: readonly Cell[], unit: 'cpu' | 'wall'): Amount {
  return cells.reduce((sum, cell) => ({ value: sum.value + cell[unit].value, count: sum.count + cell[unit].count }), {
    value: 0,
    count: 0,
  });
}

interface Meant {
  readonly habit: HabitId;
  readonly service: string;
  readonly version: string;
  readonly hours: Hours;
  readonly runtime: string;
}

/** Shares of a habit where it is usual, one a cell; each service weighs the same, whatever the number of its cells. */
function usualOf(around: readonly Cell[], meant: Meant, runtimeOf: (service: string) => string): Usual | null {
  const { habit, service, version, hours, runtime } = meant;
  const unit = HABITS[habit].unit;
  const isOtherVersion = around.some((it) => it.service === service && it.version !== version && enough(it, unit));
  const cells = around.filter((it) => {
    if (!enough(it, unit)) return false;
    if (it.service !== service) return runtimeOf(it.service) === runtime;
    if (it.version !== version) return true;
    // Its own other hours tell what is usual only where there is no other version to hold it against.
    return !isOtherVersion && (it.hour < hours.first || it.hour > hours.last);
  });
  if (cells.length < FEWEST_CELLS) return null;
  const shares = cells.map((cell) => shareOf(cell, habit, unit)).sort((a, b) => a - b);
  return { low: quantileSorted(shares, 0.05)!, high: quantileSorted(shares, 0.95)!, shares };
}

function enough(cell: Cell, unit: 'cpu' | 'wall'): boolean {
  return cell[unit].count >= FEWEST_SAMPLES;
}

function shareOf(cell: Cell, habit: HabitId, unit: 'cpu' | 'wall'): number {
  let value = 0;
  for (const sum of cell.habits.values()) if (sum.habit === habit) value += sum.value;
  return value / cell[unit].value;
}

/** 95 % interval of a share (Wilson, 1927). */
export function wilson(hits: number, of: number): readonly [number, number] {
  if (of <= 0) return [0, 1];
  const z = 1.96;
  const share = Math.min(1, hits / of);
  const middle = (share + (z * z) / (2 * of)) / (1 + (z * z) / of);
  const half = (z / (1 + (z * z) / of)) * Math.sqrt((share * (1 - share)) / of + (z * z) / (4 * of * of));
  return [Math.max(0, middle - half), Math.min(1, middle + half)];
}

/** What tells findings apart, however they move: to set one aside it has to be named. */
export function findingKey({ habit, service, place }: Pick<Finding, 'habit' | 'service' | 'place'>): string {
  return `${habit}|${service}|${functionKey(place).replace('\t', '|')}`;
}
