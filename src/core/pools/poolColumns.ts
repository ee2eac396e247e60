import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, numberListsOf, numbersOf, type Segment } from '../columns/segment.ts';
import type { Distribution } from './distribution.ts';
import type { MeasuredMinute, StoredPool } from './storedPool.ts';

/*
 * The schema of a segment of pools: a row is one minute of one pool of one instance. Distributions are three lists each: low and high end of a
 * bucket, and how many are in it.
 */

const NAMES = ['service', 'instance', 'name', 'server'] as const;
const MINUTE = 'minute';
const NUMBERS = ['size', 'used', 'pending'] as const;
const TIMEOUTS = 'timeouts';
const DISTRIBUTIONS = ['waits', 'holds'] as const;

/** Writes pools of a stretch of time as columns. */
export function poolSegment(pools: readonly StoredPool[]): Segment {
  const to = new ColumnWriter();
  for (const { minutes, ...pool } of pools)
    for (const it of minutes) {
      for (const name of NAMES) to.text(name, pool[name]);
      to.number(MINUTE, it.minute);
      for (const name of NUMBERS) if (it[name] !== null) to.number(name, it[name]);
      to.number(TIMEOUTS, it.timeouts);
      for (const name of DISTRIBUTIONS) writeDistribution(to, name, it[name]);
      to.endRow();
    }
  return to.finish();
}

function writeDistribution(to: ColumnWriter, name: string, { buckets, count, sum }: Distribution): void {
  to.number(`${name} count`, count);
  if (sum !== null) to.number(`${name} sum`, sum);
  for (const bucket of buckets) {
    if (bucket.count === 0) continue;
    to.addNumber(`${name} low`, bucket.low);
    to.addNumber(`${name} high`, bucket.high);
    to.addNumber(`${name} in`, bucket.count);
  }
}

/** Puts pools together from segments in any order. */
export class PoolReader {
  readonly #pools = new Map<string, Omit<StoredPool, 'minutes'> & { server: string; minutes: MeasuredMinute[] }>();
  readonly #from: number;
  readonly #to: number;
  readonly #of: { readonly service: string; readonly name: string } | undefined;

  /** @param from and to minutes since 1970-01-01, `to` exclusive @param of only this pool */
  constructor(from: number, to: number, of?: { readonly service: string; readonly name: string }) {
    this.#from = from;
    this.#to = to;
    this.#of = of;
  }

  add(segment: Segment): void {
    const [service, instance, name, server] = NAMES.map((it) => textsOf(segment, it));
    const minutes = numbersOf(segment, MINUTE);
    const [size, used, pending] = NUMBERS.map((it) => numbersOf(segment, it));
    const timeouts = numbersOf(segment, TIMEOUTS);
    const [waits, holds] = DISTRIBUTIONS.map((it) => distributionsOf(segment, it));
    for (let row = 0; row < segment.rows; row++) {
      const minute = minutes[row];
      if (minute < this.#from || minute >= this.#to) continue;
      if (this.#of && (service(row) !== this.#of.service || name(row) !== this.#of.name)) continue;
      const key = JSON.stringify([service(row), instance(row), name(row)]);
      const pool = this.#pools.get(key) ?? {
        service: service(row),
        instance: instance(row),
        name: name(row),
        server: '',
        minutes: [],
      };
      this.#pools.set(key, pool);
      if (server(row) !== '') pool.server = server(row);
      pool.minutes.push({
        minute,
        size: known(size[row]),
        used: known(used[row]),
        pending: known(pending[row]),
        waits: waits(row),
        holds: holds(row),
        timeouts: timeouts[row],
      });
    }
  }

  pools(): StoredPool[] {
    return [...this.#pools.values()].map(({ minutes, ...it }) => ({
      ...it,
      minutes: minutes.sort((a, b) => a.minute - b.minute),
    }));
  }
}

function textsOf(segment: Segment, name: string): (row: number) => string {
  const { values, texts } = codesOf(segment, name);
  return (row) => texts[values[row] - 1] ?? '';
}

function distributionsOf(segment: Segment, name: string): (row: number) => Distribution {
  const counts = numbersOf(segment, `${name} count`);
  const sums = numbersOf(segment, `${name} sum`);
  const low = numberListsOf(segment, `${name} low`);
  const high = numberListsOf(segment, `${name} high`).values;
  const within = numberListsOf(segment, `${name} in`).values;
  return (row) => ({
    buckets: Array.from({ length: low.offsets[row + 1] - low.offsets[row] }, (_, index) => {
      const at = low.offsets[row] + index;
      return { low: low.values[at], high: high[at], count: within[at] };
    }),
    count: counts[row],
    sum: known(sums[row]),
  });
}

function known(value: number): number | null {
  return Number.isNaN(value) ? null : value;
}
