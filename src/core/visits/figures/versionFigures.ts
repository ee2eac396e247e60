import { codesOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { ValueCounts } from './valueCounts.ts';

/** What visits of one version were like. */
export interface VersionFigures {
  readonly version: string;
  readonly visits: number;
  readonly crashed: number;
  readonly withError: number;
  /** Of those who say whether they are new. */
  readonly newUsers: number;
  readonly knownUsers: number;
  /** Median and 95th percentile of the start of the application, milliseconds; NaN where none was reported. */
  readonly start: { readonly p50: number; readonly p95: number; readonly starts: number };
  /** Visits by stretch of the window. */
  readonly overTime: readonly number[];
  readonly crashesOverTime: readonly number[];
}

const MOST_VERSIONS = 30;

/** Version by version, those seen most first. */
export function versionFigures(slots: readonly NarrowedSlot[], scope: VisitScope, bins: number): VersionFigures[] {
  const found = new Map<
    string,
    {
      visits: number;
      crashed: number;
      withError: number;
      newUsers: number;
      knownUsers: number;
      start: ValueCounts;
      overTime: number[];
      crashesOverTime: number[];
    }
  >();
  const width = (scope.toMs - scope.fromMs) / bins;
  for (const { fromMs, visits, passes } of slots) {
    const version = codesOf(visits, 'version');
    const [at, crashes, errors, isNew, start] = ['at', 'crashes', 'errors', 'new', 'start'].map(
      (name) => codesOf(visits, name).values,
    );
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const name = version.texts[version.values[row] - 1] ?? '';
      let it = found.get(name);
      if (!it) {
        if (found.size >= MOST_VERSIONS) continue;
        it = {
          visits: 0,
          crashed: 0,
          withError: 0,
          newUsers: 0,
          knownUsers: 0,
          start: new ValueCounts(),
          overTime: new Array<number>(bins).fill(0),
          crashesOverTime: new Array<number>(bins).fill(0),
        };
        found.set(name, it);
      }
      const bin = Math.floor((time - scope.fromMs) / width);
      it.visits++;
      it.overTime[bin]++;
      if (crashes[row] > 0) {
        it.crashed++;
        it.crashesOverTime[bin]++;
      }
      if (errors[row] > 0) it.withError++;
      if (isNew[row] === 2) it.newUsers++;
      if (isNew[row] > 0) it.knownUsers++;
      if (start[row] > 0) it.start.add(start[row] - 1);
    }
  }
  return [...found]
    .map(([version, { start, ...it }]) => ({
      version,
      ...it,
      start: { p50: start.quantile(0.5), p95: start.quantile(0.95), starts: start.total },
    }))
    .sort((a, b) => b.visits - a.visits);
}

/** One kind of error or crash: the same name with the same top of the stack. */
export interface FaultGroup {
  readonly kind: string;
  readonly name: string;
  readonly stack: string;
  readonly times: number;
  readonly visits: number;
  readonly pages: readonly (readonly [string, number])[];
  readonly versions: readonly (readonly [string, number])[];
  readonly devices: readonly (readonly [string, number])[];
  /** Epoch milliseconds. */
  readonly firstMs: number;
  readonly lastMs: number;
  /** A visit that it happened in. */
  readonly session: string;
}

const MOST_GROUPS = 200;
/** Lines of a stack that tell kinds apart. */
const TOP = 3;

/**
 * What went wrong in visits that began in the window, by name and the top of the stack, the most frequent first. What they ran into beyond the end of
 * the window counts, as it does where visits that crashed are counted.
 */
export function faultGroups(slots: readonly NarrowedSlot[], scope: VisitScope): FaultGroup[] {
  const found = new Map<
    string,
    {
      kind: string;
      name: string;
      stack: string;
      times: number;
      visits: Set<string>;
      pages: Map<string, number>;
      versions: Map<string, number>;
      devices: Map<string, number>;
      firstMs: number;
      lastMs: number;
    }
  >();
  for (const { fromMs, visits, faults, passes } of slots) {
    const [kind, page, name, stack] = ['kind', 'page', 'name', 'stack'].map((it) => codesOf(faults, it));
    const [visit, at] = ['visit', 'at'].map((it) => codesOf(faults, it).values);
    const [session, version, device, browser] = ['session', 'version', 'device', 'browser'].map((it) => codesOf(visits, it));
    const begin = codesOf(visits, 'at').values;
    const text = (column: typeof kind, row: number) => column.texts[column.values[row] - 1] ?? '';
    for (let row = 0; row < faults.rows; row++) {
      const began = fromMs + begin[visit[row]];
      if (!passes[visit[row]] || began < scope.fromMs || began >= scope.toMs) continue;
      const time = began + at[row];
      const key = [text(kind, row), numbersAside(text(name, row)), topOf(text(stack, row))].join('\0');
      let it = found.get(key);
      if (!it) {
        if (found.size >= MOST_GROUPS) continue;
        it = {
          kind: text(kind, row),
          name: text(name, row),
          stack: text(stack, row),
          times: 0,
          visits: new Set(),
          pages: new Map(),
          versions: new Map(),
          devices: new Map(),
          firstMs: time,
          lastMs: time,
        };
        found.set(key, it);
      }
      it.times++;
      it.visits.add(text(session, visit[row]));
      count(it.pages, text(page, row));
      count(it.versions, text(version, visit[row]));
      count(it.devices, text(device, visit[row]) || text(browser, visit[row]));
      it.firstMs = Math.min(it.firstMs, time);
      it.lastMs = Math.max(it.lastMs, time);
    }
  }
  return [...found.values()]
    .map(({ visits, pages, versions, devices, ...it }) => ({
      ...it,
      visits: visits.size,
      pages: most(pages),
      versions: most(versions),
      devices: most(devices),
      session: [...visits].at(-1) ?? '',
    }))
    .sort((a, b) => Number(b.kind === 'crash') - Number(a.kind === 'crash') || b.times - a.times);
}

function count(of: Map<string, number>, name: string): void {
  if (of.has(name) || of.size < 50) of.set(name, (of.get(name) ?? 0) + 1);
}

function most(of: ReadonlyMap<string, number>): (readonly [string, number])[] {
  return [...of].sort((a, b) => b[1] - a[1]).slice(0, 8);
}

/** Messages that differ in numbers only are of one kind. */
function numbersAside(name: string): string {
  return name.replace(/\d+/g, '#');
}

function topOf(stack: string): string {
  return stack.split('\n').slice(0, TOP).join('\n');
}
