import { LRUCache } from 'lru-cache';

/** Hours that are remembered, of all that is summed up by them. */
const MOST_HOURS = 1500;
/** Hours that are read at a time: more would be more than the memory should hold as it comes from the database. */
const MOST_AT_ONCE = 12;

interface Known {
  readonly version: string;
  readonly value: unknown;
}

const ofSums = new LRUCache<string, Known>({ max: MOST_HOURS });

/** What is remembered apart: of each value its size counts, and all together have at most so much. */
export function memoryOf<T>(mostSize: number, sizeOf: (value: T) => number): LRUCache<string, Known> {
  return new LRUCache({ maxSize: mostSize, sizeCalculation: ({ value }) => sizeOf(value as T) });
}

/** An hour by its number since 1970-01-01; or another stretch of which all are as long. */
export interface StoredHour {
  readonly hour: number;
  /** Of what it is worked out from: when that is another than last time, it is worked out again. */
  readonly version: string;
}

/**
 * What was worked out of whole hours, or is now: a day is then read once, however often it is asked for. Hours that are missing are read
 * together where they follow each other.
 *
 * @param what names what is worked out @param hours ascending @param read works out the hours from `first` to before `end`, by hour
 * @param nothing what an hour is of which `read` says nothing @param memory where it is remembered, when not with the others
 */
export async function rememberedHours<T>(
  what: string,
  hours: readonly StoredHour[],
  read: (first: number, end: number) => Promise<ReadonlyMap<number, T>>,
  nothing: () => T,
  memory: LRUCache<string, Known> = ofSums,
): Promise<T[]> {
  const found = hours.map(({ hour, version }) => {
    const known = memory.get(`${what} ${hour}`);
    return known?.version === version ? { value: known.value as T } : undefined;
  });
  for (const run of runsOf(hours.filter((_, at) => !found[at]).map(({ hour }) => hour))) {
    const values = await read(run.first, run.end);
    for (const [at, { hour, version }] of hours.entries()) {
      if (hour < run.first || hour >= run.end) continue;
      const value = values.get(hour) ?? nothing();
      memory.set(`${what} ${hour}`, { version, value });
      found[at] = { value };
    }
  }
  return found.map((it) => it!.value);
}

/** Ascending numbers as stretches of those that follow each other, `end` exclusive. */
function runsOf(hours: readonly number[]): { readonly first: number; readonly end: number }[] {
  const runs: { first: number; end: number }[] = [];
  for (const hour of hours) {
    const last = runs.at(-1);
    if (last && last.end === hour && hour - last.first < MOST_AT_ONCE) last.end++;
    else runs.push({ first: hour, end: hour + 1 });
  }
  return runs;
}
