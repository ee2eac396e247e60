import { codesOf, listsOf, numbersOf } from '../../core/columns/segment.ts';
import { addValue, emptySketch, quantiles, type Sketch } from '../../core/measures/sketch.ts';
import { ANY_FAILED, DURATION, ENTRY, OPERATIONS, OUTCOME, readOperation } from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { DurationList } from './durationList.ts';
import { eachRequest } from './requestScope.ts';

/** A set of requests in numbers: how many, how many failed, and marks of their duration (null when there is none). */
export interface TraceFigures {
  readonly count: number;
  readonly failed: number;
  readonly p50Ns: number | null;
  readonly p95Ns: number | null;
}

/** Of the requests with an operation; for a service as a whole, `name` is the service. Percentiles are exact to 2.2 %. */
export interface NamedFigures extends TraceFigures {
  readonly service: string;
  readonly name: string;
}

/** Quarter-octave bucket of durations: from 2^(step/4) to 2^((step+1)/4) nanoseconds. */
export interface DurationBucket {
  readonly step: number;
  readonly count: number;
  readonly failed: number;
}

export interface TraceOverview extends TraceFigures {
  readonly p99Ns: number | null;
  readonly maxNs: number | null;
  readonly durations: readonly DurationBucket[];
  readonly services: readonly NamedFigures[];
  readonly entries: readonly NamedFigures[];
  readonly operations: readonly NamedFigures[];
}

interface Sum {
  count: number;
  failed: number;
  readonly sketch: Sketch;
}

/** What the requests that a filter leaves look like: durations, and by which service, entry and operation they can be narrowed. */
export async function requestOverview(filter: TraceFilter, most = 40): Promise<TraceOverview> {
  const durations = new DurationList();
  const buckets = new Map<number, { step: number; count: number; failed: number }>();
  const services = new Sums();
  const entries = new Sums();
  const operations = new Sums();
  let failedCount = 0;
  await eachRequest(filter, ({ segment, rows }) => {
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    const entry = codesOf(segment, ENTRY);
    const { offsets, items, texts } = listsOf(segment, OPERATIONS);
    const keys = texts.map(readOperation);
    const entryKeys = entry.texts.map(readOperation);
    const serviceSums = keys.map(({ service }) => services.of(service, service));
    const operationSums = keys.map(({ service, name }) => operations.of(service, name));
    const entrySums = entryKeys.map(({ service, name }) => entries.of(service, name));
    // A request counts once for a service and an operation, however many of its spans are of them.
    const seen = new Set<Sum>();
    for (const row of rows) {
      const duration = ns[row];
      const failed = (outcome[row] & ANY_FAILED) !== 0;
      if (failed) failedCount++;
      durations.add(duration);
      const step = Math.floor(4 * Math.log2(Math.max(duration, 1)));
      const bucket = buckets.get(step) ?? { step, count: 0, failed: 0 };
      buckets.set(step, bucket);
      bucket.count++;
      if (failed) bucket.failed++;
      addTo(entrySums[entry.values[row] - 1], duration, failed);
      seen.clear();
      for (let at = offsets[row]; at < offsets[row + 1]; at++) {
        for (const sum of [serviceSums[items[at]], operationSums[items[at]]]) {
          if (seen.has(sum)) continue;
          seen.add(sum);
          addTo(sum, duration, failed);
        }
      }
    }
  });
  const [p50Ns, p95Ns, p99Ns] = durations.percentiles([0.5, 0.95, 0.99]);
  return {
    count: durations.count,
    failed: failedCount,
    p50Ns,
    p95Ns,
    p99Ns,
    maxNs: durations.largest(),
    durations: [...buckets.values()].sort((a, b) => a.step - b.step),
    services: services.most(most),
    entries: entries.most(most),
    operations: operations.most(most),
  };
}

function addTo(sum: Sum, durationNs: number, failed: boolean): void {
  sum.count++;
  if (failed) sum.failed++;
  addValue(sum.sketch, durationNs);
}

/** Sums by service and name. */
class Sums {
  readonly #sums = new Map<string, Sum & { readonly service: string; readonly name: string }>();

  of(service: string, name: string): Sum {
    const key = `${service}\0${name}`;
    let sum = this.#sums.get(key);
    if (!sum) {
      sum = { service, name, count: 0, failed: 0, sketch: emptySketch() };
      this.#sums.set(key, sum);
    }
    return sum;
  }

  most(count: number): NamedFigures[] {
    return [...this.#sums.values()]
      .filter((it) => it.count > 0)
      .sort((a, b) => b.count - a.count || (`${a.service} ${a.name}` < `${b.service} ${b.name}` ? -1 : 1))
      .slice(0, count)
      .map(({ service, name, count: requests, failed, sketch }) => {
        const [p50Ns, p95Ns] = quantiles(sketch, [0.5, 0.95]);
        return { service, name, count: requests, failed, p50Ns, p95Ns };
      });
  }
}
