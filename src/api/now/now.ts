import { z } from 'zod';
import { clearest } from '../../core/incidents/joinShifts.ts';
import { seriesKeyOf } from '../../core/incidents/watchedSeries.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { CONSUMER, PRODUCER, SERVER } from '../../core/trace/span.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { type IncidentRow, incidentsBetween } from '../../store/incidents/incidents.ts';
import { usersHarmed } from '../../store/requests/entrySums.ts';
import { entryFigures } from '../../store/rollups/entryFigures.ts';
import { isInRollups, isNarrowed } from '../../store/scope/traceFilter.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { describeFigures, figuresAnswer } from '../operations/figures.ts';
import { describeVerdict, journeyVerdicts, verdictAnswer } from '../verdict/verdicts.ts';
import { byHarm, type Judged, judge, together } from './groups.ts';
import { serviceGroups } from './serviceGroups.ts';

const distribution = z
  .array(z.tuple([z.int(), z.int()]))
  .meta({ description: 'Bucket (sixteenths of an octave of nanoseconds) and count.' });
const figures = z.object(figuresAnswer);
const row = z.object({
  name: z.string(),
  entries: z.array(z.string()),
  ...verdictAnswer.shape,
  since: z.number().nullable().meta({ description: 'When an incident that it is part of began, epoch milliseconds.' }),
  incidentId: z.int().nullable(),
  users: z.int().nullable().meta({ description: 'Users with a failed request or one slower than p99 before.' }),
  extraWaitingNs: z.number(),
  extraFailures: z.number(),
  before: figures,
  lit: figures,
  beforeSpread: distribution,
  litSpread: distribution,
});

export type NowRow = z.output<typeof row>;
export type NowAnswer = z.output<typeof now.answer>;

/** Rows that are worked out: nobody reads more, and senders can make up any number of names. */
const MOST_ROWS = 200;

export const now = endpoint({
  path: '/api/now',
  least: 'reader',
  summary: 'Journeys and services, the most harmed first, lit against before.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    services: z.enum(['tallied', 'counted']).default('tallied').meta({
      description:
        'rolledUp: services are listed when no condition narrows the window; counted: also when one does, from traces, which takes longer.',
    }),
  }),
  answer: z.object({
    lit: windowAnswer,
    before: windowAnswer,
    journeys: z.array(row),
    services: z.array(row),
    servicesRead: z
      .object({ read: z.int(), of: z.int() })
      .nullable()
      .meta({ description: 'Of how many requests of both windows the services are, where these had to be read; null: of all.' }),
    leftOut: z
      .object({ journeys: z.int(), services: z.int() })
      .meta({ description: 'How many there are beyond those that are listed, which are the worst.' }),
    requests: z.object({ lit: z.int(), before: z.int() }),
    calmSince: z
      .number()
      .nullable()
      .meta({ description: 'When the last incident ended, epoch milliseconds; null when there is none.' }),
  }),
  run: async ({ services: asked, ...query }) => {
    const windows = await windowsOf(query);
    const litMinutes = [Number(windows.lit.from / 60_000_000_000n), Number(windows.lit.to / 60_000_000_000n)] as const;
    const isTold = asked === 'counted' || !isNarrowed(windows.lit);
    const [named, operations, lit, before, groups, incidents, verdicts] = await Promise.all([
      namedJourneys(),
      allOperations(),
      entryFigures(windows.lit),
      entryFigures(windows.before),
      isTold ? serviceGroups(windows) : undefined,
      incidentsBetween(0, litMinutes[1]),
      journeyVerdicts(windows),
    ]);
    const open = incidents.filter((it) => it.lastMinute >= litMinutes[0]);
    // What only moves messages about is nobody's request.
    const entries = operations.filter(
      ({ id, kind }) => kind !== PRODUCER && kind !== CONSUMER && (lit.has(id) || before.has(id)),
    );
    const idsOf = new Map<string, number[]>();
    for (const { id, name } of entries) idsOf.set(name, [...(idsOf.get(name) ?? []), id]);

    const judged = journeysOf(named, [...idsOf.keys()])
      .map(({ name, entries }) => ({ name, entries: [...entries], ids: entries.flatMap((entry) => idsOf.get(entry) ?? []) }))
      .filter((it) => it.ids.length > 0)
      .map((it) => ({ ...it, ...judge(together(it.ids, lit), together(it.ids, before), verdicts.get(it.name)) }))
      .sort(byHarm);
    const journeys = judged.slice(0, MOST_ROWS);
    const users = await usersHarmed(
      windows.lit,
      journeys.map((it) => ({ entryIds: it.ids, overNs: quantiles(it.before.sketch, [0.99])[0] ?? Number.MAX_SAFE_INTEGER })),
    );

    const serviceIds = new Map<string, number[]>();
    for (const { id, service, kind } of operations)
      if (kind === SERVER || kind === CONSUMER) serviceIds.set(service, [...(serviceIds.get(service) ?? []), id]);
    const services = (groups?.services ?? [])
      .slice(0, MOST_ROWS)
      .map((it) => ({ ...it, entries: [], ids: serviceIds.get(it.name) ?? [] }));

    const describe = (it: Judged & { name: string; entries: string[]; ids: number[] }, harmed: number | null): NowRow => {
      const series = new Set(it.ids.map((id) => seriesKeyOf('operation', id)));
      const { changed, worst } = it.verdict;
      const [first, last] = worst ? [worst.fromMinute, worst.toMinute - 1] : litMinutes;
      // One that shows the same thing, at the time when it was worst.
      const shows = (shift: IncidentRow['shifts'][number]) =>
        series.has(shift.series) && shift.measure === changed && shift.firstMinute <= last && shift.lastMinute >= first;
      const found = changed
        ? open.filter((incident) => incident.shifts.some(shows)).sort((a, b) => a.firstMinute - b.firstMinute)[0]
        : undefined;
      const own = (found?.shifts ?? []).filter(shows);
      return {
        name: it.name,
        entries: it.entries,
        ...describeVerdict(it.verdict),
        since: own.length > 0 ? clearest(own).firstMinute * 60_000 : null,
        incidentId: found?.id ?? null,
        users: harmed,
        extraWaitingNs: it.harm.extraWaitingNs,
        extraFailures: it.harm.extraFailures,
        before: describeFigures({ ...it.before, failedNs: 0 }),
        lit: describeFigures({ ...it.lit, failedNs: 0 }),
        beforeSpread: spread(it.before.sketch.buckets),
        litSpread: spread(it.lit.sketch.buckets),
      };
    };
    return {
      lit: describeWindow(windows.lit),
      before: describeWindow(windows.before),
      journeys: journeys.map((it, at) => describe(it, users[at])),
      services: services.map((it) => describe(it, null)),
      leftOut: {
        journeys: judged.length - journeys.length,
        services: (groups?.services.length ?? 0) - services.length,
      },
      servicesRead: groups && !isInRollups(windows.lit) ? { read: groups.read, of: groups.requests } : null,
      requests: {
        lit: judged.reduce((sum, it) => sum + it.lit.calls, 0),
        before: judged.reduce((sum, it) => sum + it.before.calls, 0),
      },
      calmSince: incidents.length === 0 ? null : Math.max(...incidents.map((it) => (it.lastMinute + 1) * 60_000)),
    };
  },
});

function spread(buckets: ReadonlyMap<number, number>): [number, number][] {
  return [...buckets].sort(([a], [b]) => a - b);
}
