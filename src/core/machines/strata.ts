import type { Layer, RuleId, Standing } from './rules.ts';
import { LAYERS } from './rules.ts';
import type { UsualRange } from './usualRange.ts';

/** An instance with what it stands on: a column of the cross-section. Empty where a layer is not there or not known. */
export interface Column {
  readonly service: string;
  readonly instance: string;
  readonly container: string;
  readonly vm: string;
  readonly host: string;
}

/** One measure of something on a layer. */
export interface Reading {
  readonly rule: RuleId;
  /** NaN without one. */
  readonly value: number;
  readonly usual: UsualRange | undefined;
  readonly standing: Standing;
}

/** Something on a layer. */
export interface Cell {
  readonly layer: Layer;
  readonly name: string;
  /** The columns that stand on it, or are it; indices. */
  readonly columns: readonly number[];
  /** The one that is shown first: the ill one that lies furthest beyond, else the one that leads. */
  readonly readings: readonly Reading[];
  readonly standing: Standing;
}

/** What a cell has to do with the lowest ill one. */
export type Role = 'starts' | 'stands' | 'calls' | 'ill' | 'calm' | 'unknown';

/** Where the trouble is lowest. */
export interface Lowest {
  readonly cell: Cell;
  /** Of the ill cells above its layer, those that stand on it. */
  readonly above: number;
  readonly of: number;
  /** Whether they are so many that it is the one. */
  readonly isSure: boolean;
}

/** Of the ill cells above, so many stand on the lowest ill one. */
const MOST = 0.8;
/** A place with nothing ill above it is found by itself only where nothing else is. */
const depth = (layer: Layer) => LAYERS.indexOf(layer);

/** The name that a column has on a layer; empty where it is not there. */
export function nameOn(layer: Layer, column: Column): string {
  switch (layer) {
    case 'service':
    case 'process':
      return column.instance;
    case 'container':
      return column.container;
    case 'vm':
      return column.vm;
    default:
      return column.host;
  }
}

/** Cells of one layer from the readings of what is on it. */
export function cellsOf(
  layer: Layer,
  columns: readonly Column[],
  readingsOf: (name: string, column: Column) => readonly Reading[],
): Cell[] {
  const byName = new Map<string, number[]>();
  for (const [at, column] of columns.entries()) {
    const name = nameOn(layer, column);
    if (name === '') continue;
    const known = byName.get(name);
    if (known) known.push(at);
    else byName.set(name, [at]);
  }
  return [...byName].map(([name, own]) => {
    const readings = [...readingsOf(name, columns[own[0]])];
    const ill = readings.filter(({ standing }) => standing === 'ill').sort((a, b) => beyond(b) - beyond(a));
    const rest = readings.filter((it) => !ill.includes(it));
    return { layer, name, columns: own, readings: [...ill, ...rest], standing: standingOfAll(readings) };
  });
}

/** How something stands by all that is read of it. */
export function standingOfAll(readings: readonly Pick<Reading, 'standing'>[]): Standing {
  if (readings.some(({ standing }) => standing === 'ill')) return 'ill';
  return readings.some(({ standing }) => standing === 'calm') ? 'calm' : 'unknown';
}

/** How far beyond the usual a reading lies, as a part of it. */
function beyond({ value, usual }: Reading): number {
  return usual ? (value - usual.high) / Math.max(usual.high, 1e-9) : 0;
}

/**
 * The lowest ill cell on which most of the ill cells above stand. Undefined when nothing below the services is ill: then the trouble is in a
 * program, or further away.
 *
 * @param callees by service, those that it calls
 */
export function lowestIll(
  cells: readonly Cell[],
  columns: readonly Column[],
  callees: ReadonlyMap<string, ReadonlySet<string>>,
): Lowest | undefined {
  const ill = cells.filter(({ standing }) => standing === 'ill');
  const found = ill
    .filter(({ layer }) => layer !== 'service')
    .map((cell): Lowest => {
      const own = new Set(cell.columns);
      const isOn = (it: Cell) => it.columns.some((at) => own.has(at));
      const suffering = new Set(
        ill.filter((it) => it.layer === 'service' && isOn(it)).map((it) => columns[it.columns[0]].service),
      );
      const callers = callersOf(suffering, callees);
      // Who only waits for one that stands there suffers from it, too: he neither speaks for it nor against it.
      const above = ill.filter(
        (it) =>
          depth(it.layer) < depth(cell.layer) &&
          (isOn(it) || it.layer !== 'service' || !callers.has(columns[it.columns[0]].service)),
      );
      const standing = above.filter(isOn).length;
      return { cell, above: standing, of: above.length, isSure: above.length > 0 && standing >= MOST * above.length };
    });
  const sure = found
    .filter(({ isSure }) => isSure)
    .sort((a, b) => depth(b.cell.layer) - depth(a.cell.layer) || b.above - a.above);
  // Without one that has nearly all, the one that has most of them, and the lower of two: it is said that it is not all.
  return sure[0] ?? found.sort((a, b) => b.above - a.above || depth(b.cell.layer) - depth(a.cell.layer))[0];
}

/** The services that call one of some, or one that does. */
function callersOf(some: ReadonlySet<string>, callees: ReadonlyMap<string, ReadonlySet<string>>): Set<string> {
  const found = new Set<string>();
  for (let grew = true; grew; ) {
    grew = false;
    for (const [caller, to] of callees)
      if (!found.has(caller) && [...to].some((it) => it !== caller && (some.has(it) || found.has(it)))) {
        found.add(caller);
        grew = true;
      }
  }
  return found;
}

/**
 * What each cell has to do with the lowest ill one.
 *
 * @param callees by service, those that it calls
 */
export function rolesOf(
  cells: readonly Cell[],
  columns: readonly Column[],
  lowest: Lowest | undefined,
  callees: ReadonlyMap<string, ReadonlySet<string>>,
): Role[] {
  const own = new Set(lowest?.cell.columns ?? []);
  const suffering = new Set(
    cells
      .filter((it) => it.layer === 'service' && it.standing === 'ill' && it.columns.some((at) => own.has(at)))
      .map((it) => columns[it.columns[0]].service),
  );
  const reaches = callersOf(suffering, callees);
  return cells.map((it) => {
    if (it === lowest?.cell) return 'starts';
    if (it.standing !== 'ill') return it.standing;
    if (!lowest) return 'ill';
    if (depth(it.layer) < depth(lowest.cell.layer) && it.columns.some((at) => own.has(at))) return 'stands';
    return it.layer === 'service' && reaches.has(columns[it.columns[0]].service) ? 'calls' : 'ill';
  });
}

/** The minutes, one after the other, in which something was ill around one of them; gaps of some minutes are bridged. */
export function stretchAround(isIll: (minute: number) => boolean, at: number, minutes: number): { first: number; last: number } {
  const BRIDGED = 4;
  const walk = (step: 1 | -1) => {
    let edge = at;
    for (let minute = at, gap = 0; minute >= 0 && minute < minutes && gap <= BRIDGED; minute += step) {
      if (isIll(minute)) {
        edge = minute;
        gap = 0;
      } else gap++;
    }
    return edge;
  };
  return { first: walk(-1), last: walk(1) };
}
