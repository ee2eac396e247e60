import { z } from 'zod';
import { burnRate, objectiveState } from '../../core/journeys/journey.ts';
import { FULLNESS_MEASURES, fullnessOf } from '../../core/machines/fullness.ts';
import { noCalls } from '../../core/measures/callSum.ts';
import { earlier } from '../../core/time/moments.ts';
import { CONSUMER, SERVER } from '../../core/trace/span.ts';
import type { CallBlocks } from '../../core/verdict/callBlocks.ts';
import { type OperationCalls, type StandOut, standOuts } from '../../core/verdict/standOut.ts';
import { hasReference } from '../../core/verdict/verdict.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { changesBetween, inFlightAt } from '../../store/measures/recentEvents.ts';
import { operationCounts } from '../../store/rollups/operationFigures.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { blocksOfKeys, callsOverTime, rollupBlocks } from '../../store/rollups/rollupBlocks.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { endpoint } from '../endpoint.ts';
import { boundedMeasures } from '../machines/boundedMeasures.ts';
import { isoTime } from '../parameters.ts';
import { blockStep } from '../verdict/verdicts.ts';

export type Around = z.output<typeof around.answer>;

const HOUR_NS = 3_600_000_000_000n;
const MINUTE_NS = 60_000_000_000n;
const DAY_NS = 24n * HOUR_NS;
const MONTH_NS = 30n * DAY_NS;
const MOST_IN_FLIGHT = 8;
const MOST_STAND_OUT = 6;
/** A machine that said nothing for longer is not known. */
const MACHINES_NS = 10n * MINUTE_NS;

const fullness = z
  .object({
    mean: z.number().meta({ description: 'Of all machines, 0 to 1.' }),
    most: z.number().meta({ description: 'Of the fullest.' }),
    name: z.string(),
  })
  .nullable();

const standOutFigures = z.object({ calls: z.number(), failures: z.number(), p50Ns: z.number(), p95Ns: z.number() });

export const around = endpoint({
  path: '/api/now/around',
  least: 'reader',
  summary:
    'What stands about a window: requests under way and how full the machines are at its end, changes near it, objectives and what is left of them.',
  runs: 'analysis',
  query: z.strictObject({ from: isoTime, to: isoTime }),
  answer: z.object({
    inFlight: z.object({
      at: z
        .number()
        .nullable()
        .meta({ description: 'When it was reported, epoch milliseconds; null when no service reports it.' }),
      count: z.int(),
      oldest: z.array(z.object({ service: z.string(), operation: z.string(), traceId: z.string(), ageMs: z.number() })),
    }),
    machines: z
      .object({ machines: z.int(), cpu: fullness, memory: fullness })
      .meta({ description: 'By the last value that each told within ten minutes before the end; null when none did.' }),
    standOut: z
      .array(
        z.object({
          service: z.string(),
          what: z.enum(['instance', 'version', 'operation']),
          name: z.string(),
          state: z.enum(['failing', 'strained']),
          changed: z.enum(['failures', 'p95', 'p50']),
          own: standOutFigures,
          others: standOutFigures,
        }),
      )
      .meta({
        description:
          'Instances and versions that are worse than the others of their service in this window; and operations that had no calls to speak of in the day before it, and fail more than the others of their service.',
      }),
    changes: z.array(z.object({ at: z.number(), service: z.string(), kind: z.string(), phase: z.string(), title: z.string() })),
    objectives: z.array(
      z.object({
        journey: z.string(),
        withinMs: z.number().nullable(),
        target: z.number(),
        share: z.number().nullable(),
        left: z.number().nullable().meta({ description: 'Of the bad requests that are allowed: 1 none used, 0 all.' }),
        burn: z.object({
          m5: z.number().nullable(),
          h1: z.number().nullable(),
          m30: z.number().nullable(),
          h6: z.number().nullable(),
        }),
      }),
    ),
    objectivesFrom: z.string().nullable().meta({ description: 'Since when requests are counted for the objectives.' }),
  }),
  run: async ({ from, to }) => {
    const [flight, machines, changes, named, operations, kept, standOut] = await Promise.all([
      // A window of whole minutes may end ahead of the clock; what runs does not grow older by that.
      inFlightAt(earlier(to, BigInt(Date.now()) * 1_000_000n)),
      boundedMeasures(to - MACHINES_NS, to, FULLNESS_MEASURES),
      changesBetween(from - HOUR_NS, to + HOUR_NS / 4n),
      namedJourneys(),
      allOperations(),
      storedTime(),
      standOutsIn(from, to),
    ]);
    const promised = named.filter((it) => it.objective);
    const since = kept && to - MONTH_NS < kept.from ? kept.from : to - MONTH_NS;
    // The month by hours, which are remembered; its last hours by minutes.
    const [month, hours] = await Promise.all([
      promised.length > 0 ? rollupBlocks('entries', since, to, 60) : new Map(),
      promised.length > 0 ? rollupBlocks('entries', to - 6n * HOUR_NS, to, 1) : new Map(),
    ]);
    const objectives = promised.map(({ name, entries, objective }) => {
      const { withinMs, share } = objective!;
      const ids = operations.filter((it) => entries.includes(it.name)).map((it) => it.id);
      const inMonth = keptSince(blocksOfKeys(month, ids, 60), withinMs);
      const inHours = keptSince(blocksOfKeys(hours, ids, 1), withinMs);
      const burn = (start: bigint) => {
        const { all, good } = inHours(start);
        return burnRate(good, all, share);
      };
      const { all, good: kept } = inMonth(0n);
      const { share: good, left } = objectiveState(kept, all, share);
      return {
        journey: name,
        withinMs: withinMs ?? null,
        target: share,
        share: good,
        left,
        burn: {
          m5: burn(to - 5n * MINUTE_NS),
          h1: burn(to - HOUR_NS),
          m30: burn(to - 30n * MINUTE_NS),
          h6: burn(to - 6n * HOUR_NS),
        },
      };
    });
    return {
      standOut: standOut.slice(0, MOST_STAND_OUT).map((it) => ({ ...it, own: { ...it.own }, others: { ...it.others } })),
      inFlight: { at: flight.at, count: flight.requests.length, oldest: flight.requests.slice(0, MOST_IN_FLIGHT) },
      machines: fullnessOf(machines),
      changes,
      objectives,
      objectivesFrom: promised.length === 0 ? null : new Date(Number(since / 1_000_000n)).toISOString(),
    };
  },
});

/**
 * Requests from a moment on, and those of them that kept what was promised. One that failed and was slow is counted twice among the others: the
 * share is never shown better than it was.
 */
function keptSince({ blocks, over }: CallBlocks, withinMs: number | undefined): (start: bigint) => { all: number; good: number } {
  const slow = withinMs === undefined ? undefined : over([withinMs * 1e6])[0];
  return (start) => {
    const first = Number(start / MINUTE_NS);
    let [all, bad] = [0, 0];
    for (const [index, { at, calls, failures }] of blocks.entries()) {
      if (at < first) continue;
      all += calls;
      bad += failures + (slow?.[index] ?? 0);
    }
    return { all, good: Math.max(0, all - bad) };
  };
}

async function standOutsIn(from: bigint, to: bigint): Promise<StandOut[]> {
  const [instances, blocks, operations] = await Promise.all([
    allInstances(),
    rollupBlocks('instances', from, to, blockStep({ from, to })),
    handledOperations(from, to),
  ]);
  return standOuts(
    instances.flatMap(({ id, service, instance, version }) => {
      const calls = blocks.get(id);
      return calls ? [{ service, instance, version, calls: callsOverTime(calls) }] : [];
    }),
    operations,
  );
}

/** What services handled in a window, by operation, and whether the day before it tells what is usual for each. */
async function handledOperations(from: bigint, to: bigint): Promise<OperationCalls[]> {
  const length = to - from > DAY_NS ? to - from : DAY_NS;
  const [operations, lit, before] = await Promise.all([
    allOperations(),
    operationCounts(from, to),
    operationCounts(from - length, from),
  ]);
  return operations.flatMap(({ id, service, name, kind }) => {
    const counts = lit.get(id);
    if (!counts || (kind !== SERVER && kind !== CONSUMER)) return [];
    const hasUsual = hasReference(counts.calls, before.get(id)?.calls ?? 0);
    return [{ service, operation: name, calls: new Map([[0, { ...noCalls(), ...counts }]]), hasUsual }];
  });
}
