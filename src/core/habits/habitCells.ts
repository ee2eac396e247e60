import type { ProfileRows } from '../profile/profileColumns.ts';
import { type Frame, frameKey, frameOfKey, functionKey } from '../profile/stackSample.ts';
import { HABITS, type HabitId } from './habits.ts';
import { type FactsOf, type Match, matchStack } from './matchStack.ts';

/** Whose samples are summed: one version of a service in one hour. */
export interface Cell {
  readonly service: string;
  readonly version: string;
  /** Hours since 1970-01-01. */
  readonly hour: number;
  /** Value and number of the samples of each type. */
  readonly cpu: Amount;
  readonly wall: Amount;
  /** What habits take, by habit and function. */
  readonly habits: Map<string, HabitSum>;
}

export interface Amount {
  value: number;
  count: number;
}

export interface HabitSum extends Amount {
  readonly habit: HabitId;
  /** Where it is; the line is that which has most. */
  readonly by: Match['by'];
  readonly lines: Map<string, number>;
}

const HOUR_MS = 3_600_000;

/** Sums what habits take, by service, version and hour. */
export class HabitCells {
  readonly #cells = new Map<string, Cell>();
  readonly #matched = new Map<string, Match | undefined>();
  readonly #factsOf: (service: string, version: string) => FactsOf;
  readonly #isOwn: (frame: Frame) => boolean;

  constructor(factsOf: (service: string, version: string) => FactsOf, isOwn: (frame: Frame) => boolean) {
    this.#factsOf = factsOf;
    this.#isOwn = isOwn;
  }

  /** @param slotMs when the segment begins, epoch milliseconds @param from, to which rows are meant, milliseconds of the segment */
  add(service: string, rows: ProfileRows, slotMs: number, from: number, to: number): void {
    const { times, types, stacks, versions, values, counts } = rows;
    const units = types.texts.map((text) => (text.startsWith('cpu ') ? 'cpu' : text.startsWith('wall ') ? 'wall' : undefined));
    const local = new Map<number, Match | undefined>();
    for (let row = 0; row < rows.rows; row++) {
      if (times[row] < from || times[row] >= to) continue;
      const unit = units[types.values[row] - 1];
      if (!unit) continue;
      const version = versions.texts[versions.values[row] - 1] ?? '';
      const cell = this.#cellOf(service, version, Math.floor((slotMs + times[row]) / HOUR_MS));
      cell[unit].value += values[row];
      cell[unit].count += counts[row];
      const code = stacks.values[row] * (versions.texts.length + 1) + versions.values[row];
      let match = local.get(code);
      if (match === undefined && !local.has(code)) {
        match = this.#matchOf(service, version, rows, stacks.values[row]);
        local.set(code, match);
      }
      if (!match || HABITS[match.habit].unit !== unit) continue;
      addHabit(cell, match, values[row], counts[row]);
    }
  }

  #matchOf(service: string, version: string, rows: ProfileRows, code: number): Match | undefined {
    const text = rows.stacks.texts[code - 1] ?? '';
    const keys = text === '' ? [] : text.split(' ').map((at) => rows.frames[Number(at)]);
    const key = `${service}\0${version}\0${keys.join('\n')}`;
    if (!this.#matched.has(key))
      this.#matched.set(key, matchStack(keys.map(frameOfKey), { factsOf: this.#factsOf(service, version), isOwn: this.#isOwn }));
    return this.#matched.get(key);
  }

  #cellOf(service: string, version: string, hour: number): Cell {
    const key = `${hour}\0${service}\0${version}`;
    let cell = this.#cells.get(key);
    if (!cell) {
      cell = { service, version, hour, cpu: { value: 0, count: 0 }, wall: { value: 0, count: 0 }, habits: new Map() };
      this.#cells.set(key, cell);
    }
    return cell;
  }

  get cells(): Cell[] {
    return [...this.#cells.values()];
  }
}

function addHabit(cell: Cell, match: Match, value: number, count: number): void {
  const key = `${match.habit}\0${functionKey(match.place)}`;
  let sum = cell.habits.get(key);
  if (!sum) {
    sum = { habit: match.habit, by: match.by, lines: new Map(), value: 0, count: 0 };
    cell.habits.set(key, sum);
  }
  sum.value += value;
  sum.count += count;
  const line = frameKey(match.place);
  sum.lines.set(line, (sum.lines.get(line) ?? 0) + value);
}
