import { z } from 'zod';
import { journeysOf } from '../../core/journeys/journey.ts';
import { writeOperation } from '../../core/requests/requestColumns.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { peerServices } from '../../store/rollups/traffic.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { callsPerRequest, sumPaths } from '../map/paths.ts';
import { describeOrigin, slownessOrigin } from '../map/starts.ts';
import { journeyVerdicts } from '../verdict/verdicts.ts';

export type Reasons = z.output<typeof reasons.answer>;
export type JourneyReasons = Reasons['journeys'][number];

export const reasons = endpoint({
  path: '/api/now/reasons',
  least: 'reader',
  summary:
    'Where the extra time of each journey that got worse sits, and where its failures start, from all requests before and lit.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    journeys: z.array(
      z.object({
        name: z.string(),
        requests: z.object({ lit: z.int(), before: z.int(), failed: z.int() }),
        slowness: z.array(slownessOrigin).meta({ description: 'As the map says it, for this journey alone.' }),
        failures: z.array(
          z.object({
            party: z.string(),
            what: z
              .string()
              .meta({ description: 'The response code, the exception, or the message of the span where it starts.' }),
            count: z.int(),
            traceId: z.string().meta({ description: 'One of them.' }),
          }),
        ),
      }),
    ),
  }),
  run: async (query) => {
    const windows = await windowsOf(query);
    const [named, operations, verdicts, peers] = await Promise.all([
      namedJourneys(),
      allOperations(),
      journeyVerdicts(windows),
      peerServices(),
    ]);
    const worse = new Set(
      [...verdicts].flatMap(([name, { state }]) => (state === 'failing' || state === 'strained' ? [name] : [])),
    );
    const journeys = journeysOf(named, [...new Set(operations.map(({ name }) => name))]).filter(({ name }) => worse.has(name));
    const entries = new Set(journeys.flatMap((it) => it.entries));
    const failures = new Map<string, { failed: number; counts: Map<string, FailureCount> }>();
    const sums = await sumPaths(
      windows,
      (entry) => (entries.has(entry.name) ? writeOperation(entry) : undefined),
      (side, request) => {
        const { entry, failed, failure } = request;
        if (side !== 'lit' || !failed || !entries.has(entry.name)) return;
        const of = failures.get(entry.name) ?? { failed: 0, counts: new Map<string, FailureCount>() };
        failures.set(entry.name, of);
        of.failed++;
        if (failure) count(of.counts, { party: failure.party, what: failure.words, count: 1, traceId: request.traceId });
      },
    );
    const calls = await callsPerRequest(windows, [...entries]);
    return {
      journeys: journeys.map((journey) => {
        const own = new Set(
          operations.flatMap(({ service, name, kind }) =>
            journey.entries.includes(name) ? [writeOperation({ service, name, kind: SPAN_KINDS[kind] })] : [],
          ),
        );
        const failed = journey.entries.flatMap((entry) => failures.get(entry) ?? []);
        const counts = new Map<string, FailureCount>();
        for (const it of failed.flatMap((one) => [...one.counts.values()])) count(counts, it);
        return {
          name: journey.name,
          requests: {
            lit: sums.requests('lit', own),
            before: sums.requests('before', own),
            failed: failed.reduce((sum, it) => sum + it.failed, 0),
          },
          slowness: sums
            .origins({ entries: own, rates: calls })
            .map((it) => describeOrigin({ ...it, node: peers.get(it.node) ?? it.node })),
          failures: [...counts.values()].sort((a, b) => b.count - a.count),
        };
      }),
    };
  },
});

interface FailureCount {
  readonly party: string;
  readonly what: string;
  readonly count: number;
  readonly traceId: string;
}

function count(counts: Map<string, FailureCount>, it: FailureCount): void {
  const key = `${it.party}\0${it.what}`;
  const known = counts.get(key);
  counts.set(key, known ? { ...known, count: known.count + it.count } : it);
}
