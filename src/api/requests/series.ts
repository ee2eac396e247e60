import { z } from 'zod';
import { harmOverTime } from '../../core/journeys/harmOverTime.ts';
import { formatIso } from '../../core/time/iso.ts';
import { requestBuckets } from '../../store/requests/requestBuckets.ts';
import { entryBuckets } from '../../store/rollups/harmSeries.ts';
import { figuresOverTime } from '../../store/rollups/operationFigures.ts';
import { type RequestBucket, storedTime } from '../../store/rollups/requestSeries.ts';
import { isNarrowed } from '../../store/scope/traceFilter.ts';
import { endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';

const MINUTE = 60_000;
/** Widths a stretch may have, so that it begins at a full minute, quarter or hour. */
const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 360, 720, 1440].map((minutes) => minutes * MINUTE);
const MOST_BUCKETS = 400;

export type RequestSeries = z.output<typeof series.answer>;

export const series = endpoint({
  path: '/api/requests/series',
  least: 'reader',
  summary:
    'Requests over time: how many, how many failed, p95, harm beyond the usual. Without from and to, over all stored time.',
  runs: 'analysis',
  query: z.strictObject(filterParameters),
  answer: z.object({
    kept: z
      .object({ from: z.string(), to: z.string() })
      .nullable()
      .meta({ description: 'First and last start of all stored requests.' }),
    stepMs: z.int(),
    buckets: z.array(z.object({ at: z.number(), count: z.int(), failed: z.int(), p95Ns: z.number(), harmNs: z.number() })),
  }),
  run: async (query) => {
    const kept = await storedTime();
    if (!kept) return { kept: null, stepMs: MINUTE, buckets: [] };
    const asked = traceFilter(query);
    const filter = { ...asked, from: asked.from ?? kept.from, to: asked.to ?? kept.to + 1n };
    const stepMs = stepFor(filter.from, filter.to);
    const { buckets, byEntry } = isNarrowed(asked)
      ? await requestBuckets(filter, stepMs)
      : await allBuckets(filter.from, filter.to, stepMs);
    const harm = harmOverTime(byEntry);
    return {
      kept: { from: formatIso(kept.from), to: formatIso(kept.to) },
      stepMs,
      buckets: buckets.map((it) => ({ ...it, harmNs: harm.get(it.at) ?? 0 })),
    };
  },
});

/** How wide the stretches of some time are, milliseconds: whole minutes, and no more stretches than can be drawn. Times are epoch nanoseconds. */
export function stepFor(from: bigint, to: bigint): number {
  const span = Number(to - from) / 1e6;
  const widest = STEPS[STEPS.length - 1];
  return STEPS.find((step) => span / step <= MOST_BUCKETS) ?? Math.ceil(span / MOST_BUCKETS / widest) * widest;
}

/** All requests, from the rollups: any length of time costs what its minutes cost. */
async function allBuckets(from: bigint, to: bigint, stepMs: number) {
  const [buckets, byEntry] = await Promise.all([entrySeries(from, to, stepMs), entryBuckets(from, to, stepMs)]);
  return { buckets, byEntry };
}

async function entrySeries(from: bigint, to: bigint, stepMs: number): Promise<RequestBucket[]> {
  const figures = await figuresOverTime('entries', from, to, stepMs / MINUTE, [0.95]);
  return figures.map(({ at, calls, failures, quantilesNs }) => ({
    at,
    count: calls,
    failed: failures,
    p95Ns: quantilesNs[0] ?? 0,
  }));
}
