import { median, quantile, rollup } from 'd3-array';
import { type Frame, frameOfKey, functionKey } from '../profile/stackSample.ts';
import type { Amount, Cell, HabitSum } from './habitCells.ts';
import { HABITS, type HabitId } from './habits.ts';
import type { HeldMemory } from './heldMemory.ts';

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
  /** `usual not known`: it takes much of its version, and there is nothing to hold it against. */
  readonly verdict: 'over usual' | 'usual not known' | 'in range' | 'not enough data';
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
/** Where nothing is known of what is usual, so much is worth a row of its own. */
const MUCH = 0.1;
/** Habits that take less of their service are not worth a row. */
const LEAST_SHARE = 0.02;

/**
 * Habits of the lit hours against what is usual for them, see `usualOf`. Over usual = (share − upper bound) × cost of the version.
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
      const unit = sampledUnit(habit);
      const whole = amountOf(of, unit);
      const share = whole.value > 0 ? sum.value / whole.value : 0;
      if (share < LEAST_SHARE || sum.count < 1) continue;
      const usual = usualOf(around, { habit, service, version, hours, runtime: runtimeOf(service) }, runtimeOf);
      const interval = wilson(sum.count, whole.count);
      const overUsual = usual ? Math.max(0, share - usual.high) * whole.value : null;
      // Beyond the range with all of its own interval, so that few samples claim nothing.
      const verdict =
        whole.count < FEWEST_SAMPLES
          ? 'not enough data'
          : usual === null
            ? interval[0] > MUCH
              ? 'usual not known'
              : 'not enough data'
            : interval[0] > usual.high
              ? 'over usual'
              : 'in range';
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
        verdict,
        by: sum.by,
      });
    }
  }
  const rank = { 'over usual': 0, 'usual not known': 1, 'not enough data': 2, 'in range': 3 };
  return found.sort((a, b) => rank[a.verdict] - rank[b.verdict] || (b.overUsual ?? 0) - (a.overUsual ?? 0) || b.value - a.value);
}

/** Of habits that samples of time tell. */
function sampledUnit(habit: HabitId): 'cpu' | 'wall' {
  return HABITS[habit].unit === 'wall' ? 'wall' : 'cpu';
}

/** Memory that is held more and more, as a finding: its growth is what it takes beyond what is usual. */
export function heldFinding(it: HeldMemory): Finding {
  return {
    habit: 'memory kept',
    service: it.service,
    version: it.version,
    place: it.place,
    lines: [{ line: it.place.line, value: it.last }],
    share: it.share,
    interval: [it.share, it.share],
    samples: it.looks,
    value: it.last,
    usual: null,
    overUsual: it.last - it.first,
    verdict: 'over usual',
    by: it.by,
  };
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

/**
 * What is usual for a habit: the range over other services of the runtime, each with its median share, and over the service's own hours
 * before the version came; of the two upper bounds the higher one counts. Of the first version that is known, its hours outside of the lit
 * window stand for what was before.
 */
function usualOf(around: readonly Cell[], meant: Meant, runtimeOf: (service: string) => string): Usual | null {
  const { habit, service, version, hours, runtime } = meant;
  const unit = sampledUnit(habit);
  const cells = around.filter((it) => enough(it, unit));
  const share = (cell: Cell) => shareOf(cell, habit, unit);
  const began = firstHour(around, service, version);
  const older = cells.filter(
    (it) => it.service === service && it.version !== version && firstHour(around, service, it.version) < began,
  );
  const own =
    older.length > 0
      ? older
      : cells.filter((it) => it.service === service && it.version === version && (it.hour < hours.first || it.hour > hours.last));
  const others = [
    ...rollup(
      cells.filter((it) => it.service !== service && runtimeOf(it.service) === runtime),
      (of) => median(of, share) ?? 0,
      (it) => it.service,
    ).values(),
  ];
  const ownShares = own.map(share);
  const shares = [...others, ...ownShares].sort((a, b) => a - b);
  if (shares.length < FEWEST_CELLS) return null;
  const high = (of: readonly number[]) => quantile(of, 0.95) ?? 0;
  return { low: Math.min(quantile(shares, 0.05) ?? 0, high(ownShares)), high: Math.max(high(others), high(ownShares)), shares };
}

function firstHour(cells: readonly Cell[], service: string, version: string): number {
  let first = Number.POSITIVE_INFINITY;
  for (const it of cells) if (it.service === service && it.version === version) first = Math.min(first, it.hour);
  return first;
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
