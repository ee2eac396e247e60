import { codesOf, hexAt, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { StratifiedSample } from '../../core/measures/sampling/stratifiedSample.ts';
import { ANY_FAILED, DURATION, ID, OUTCOME, ROOT_FAILED, START } from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/** Requests as points of time and duration, in columns of one length. */
export interface TracePoints {
  readonly total: number;
  readonly traceId: string[];
  /** Epoch nanoseconds. */
  readonly startNs: bigint[];
  readonly durationNs: number[];
  /** 0 fine, 1 with a failure somewhere, 2 failed. */
  readonly outcome: number[];
}

interface Point {
  readonly traceId: string;
  readonly startNs: bigint;
  readonly durationNs: number;
  readonly outcome: number;
}

/** The requests that a filter leaves, as points; of more than `most` a sample, stratified by duration and outcome, with the slowest. */
export async function requestPoints(filter: TraceFilter, most: number): Promise<TracePoints> {
  const slowest = new Slowest(Math.floor(most / 4));
  const sample = new StratifiedSample<() => Point>(most - Math.floor(most / 4));
  await eachRequest(filter, ({ segment, from, rows }) => {
    const ids = segment.column(ID);
    if (ids?.type !== 'bytes') return;
    const start = numbersOf(segment, START);
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    for (const row of rows) {
      const which = outcomeOf(outcome[row]);
      const point = () => ({
        traceId: hexAt(ids, row),
        startNs: from + BigInt(start[row]),
        durationNs: ns[row],
        outcome: which,
      });
      sample.add({ idBytes: ids.values, idAt: row * ids.width, durationNs: ns[row], outcome: which }, point);
      slowest.add(ns[row], point);
    }
  });
  const drawn = [...slowest.taken(), ...sample.taken().map(({ item }) => item)].map((item) => item());
  const points = [...new Map(drawn.map((it) => [it.traceId, it])).values()];
  return {
    total: sample.total,
    traceId: points.map((it) => it.traceId),
    startNs: points.map((it) => it.startNs),
    durationNs: points.map((it) => it.durationNs),
    outcome: points.map((it) => it.outcome),
  };
}

/** The slowest of some points, so many at most. */
class Slowest {
  readonly #most: number;
  #kept: { readonly durationNs: number; readonly item: () => Point }[] = [];
  /** Those as fast as this are not taken any more. */
  #bound = -1;

  constructor(most: number) {
    this.#most = most;
  }

  add(durationNs: number, item: () => Point): void {
    if (durationNs <= this.#bound) return;
    this.#kept.push({ durationNs, item });
    if (this.#kept.length < 2 * this.#most) return;
    this.#trim();
    this.#bound = this.#kept[this.#most - 1].durationNs;
  }

  taken(): (() => Point)[] {
    this.#trim();
    return this.#kept.map(({ item }) => item);
  }

  #trim(): void {
    this.#kept.sort((a, b) => b.durationNs - a.durationNs);
    this.#kept.length = Math.min(this.#kept.length, this.#most);
  }
}

export function outcomeOf(flags: number): 0 | 1 | 2 {
  if ((flags & ROOT_FAILED) !== 0) return 2;
  return (flags & ANY_FAILED) !== 0 ? 1 : 0;
}

/** The id of a row, hex. */
export function idAt(segment: Segment, row: number): string {
  const ids = segment.column(ID);
  return ids?.type === 'bytes' ? hexAt(ids, row) : '';
}
