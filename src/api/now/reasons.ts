import { z } from 'zod';
import { journeysOf } from '../../core/journeys/journey.ts';
import { type LedgerSum, timeShift } from '../../core/journeys/timeShift.ts';
import { TIME_KINDS } from '../../core/trace/timeKind.ts';
import { eachPath } from '../../store/columns/requestPaths.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type Reasons = z.output<typeof reasons.answer>;

export const reasons = endpoint({
  path: '/api/now/reasons',
  summary: 'Where the extra time of a journey sits, and where its failures start, from all its requests before and lit.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, journey: z.string() }),
  answer: z.object({
    requests: z.object({ lit: z.int(), before: z.int(), failed: z.int() }),
    time: z.array(z.object({ party: z.string(), kind: z.enum(TIME_KINDS), beforeNs: z.number(), litNs: z.number() })),
    failures: z.array(
      z.object({
        party: z.string(),
        what: z.string().meta({ description: 'The response code, the exception, or the message of the span where it starts.' }),
        count: z.int(),
        traceId: z.string().meta({ description: 'One of them.' }),
      }),
    ),
  }),
  run: async ({ journey, ...query }) => {
    const windows = await windowsOf(query);
    const [named, operations] = await Promise.all([namedJourneys(), allOperations()]);
    const entries = journeysOf(named, [journey]).find((it) => it.name === journey)?.entries ?? [journey];
    const isPart = new Set(operations.filter((it) => entries.includes(it.name)).map((it) => it.name));
    const lit = await sideOf(windows.lit, isPart);
    const before = await sideOf(windows.before, isPart);
    return {
      requests: { lit: lit.time.requests, before: before.time.requests, failed: lit.failed },
      time: timeShift(lit.time, before.time),
      failures: [...lit.failures.values()].sort((a, b) => b.count - a.count),
    };
  },
});

interface FailureCount {
  readonly party: string;
  readonly what: string;
  count: number;
  readonly traceId: string;
}

interface Side {
  readonly time: LedgerSum;
  readonly failures: ReadonlyMap<string, FailureCount>;
  readonly failed: number;
}

/** Adds up where the time of a journey's requests went, and where those that failed began to. */
async function sideOf(window: Window, entries: ReadonlySet<string>): Promise<Side> {
  const time: LedgerSum & { requests: number } = { requests: 0, lines: new Map() };
  const failures = new Map<string, FailureCount>();
  let failed = 0;
  await eachPath(window, ({ traceId, entry, failed: hasFailed, failure, path }) => {
    if (!entries.has(entry.name)) return;
    time.requests++;
    for (const [{ party, kind }, ns] of path()) {
      const key = `${kind} ${party}`;
      const line = time.lines.get(key);
      if (line) line.ns += ns;
      else time.lines.set(key, { party, kind, ns });
    }
    if (!hasFailed) return;
    failed++;
    if (!failure) return;
    const key = `${failure.party}\0${failure.words}`;
    const known = failures.get(key);
    if (known) known.count++;
    else failures.set(key, { party: failure.party, what: failure.words, count: 1, traceId });
  });
  return { time, failures, failed };
}
