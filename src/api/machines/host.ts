import { median } from 'd3-array';
import { z } from 'zod';
import { rulesOf } from '../../core/machines/fleet.ts';
import { compareHost, guiltOf } from '../../core/machines/guilty.ts';
import { jobRuns } from '../../core/machines/jobRuns.ts';
import type { Layer, Rule } from '../../core/machines/rules.ts';
import { standingOfAll, stretchAround } from '../../core/machines/strata.ts';
import { busiest } from '../../core/machines/takers.ts';
import { type UsualRange, usualRange } from '../../core/machines/usualRange.ts';
import { objectEvents, objectsAt } from '../../store/machines/objects.ts';
import type { MeanProcess } from '../../store/machines/processes.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { type KnownFleet, knownFleet, serviceReading } from './fleetOf.ts';
import { type ComparedProcess, causeAnswer, comparedProcesses, describeCause } from './hostCause.ts';
import { comparisonAnswer, hostPairs } from './hostGuilt.ts';
import { machineReadings, minuteOf, residentsOf } from './hosts.ts';
import { describeReading, readingAnswer } from './layers.ts';

export type MachineHost = z.output<typeof machineHost.answer>;

const MINUTE_MS = 60_000;
/** Processes, jobs and changes that are listed. */
const MOST_LISTED = 12;
/** How far back runs of jobs say when they usually run. */
const RUNS_BACK = 7n * 86_400_000_000_000n;
/** Minutes around the moment of which processes are shown where nothing is ill. */
const AROUND = 5;

const processAnswer = z.object({
  name: z.string(),
  container: z.string(),
  job: z.string(),
  cores: z.number(),
  wants: z.number(),
  before: z.number().meta({ description: 'Cores that it took in the reference.' }),
  memory: z.number(),
  reads: z.number(),
  writes: z.number(),
});

const jobAnswer = z.object({
  id: z.string(),
  name: z.string(),
  schedule: z.string(),
  runs: z
    .array(z.object({ from: z.number(), to: z.number().nullable(), message: z.string() }))
    .meta({ description: 'Within the lit window, the last ones.' }),
  count: z.int(),
  usually: z.number().nullable().meta({ description: 'Minutes since midnight UTC at which it began before, in the middle.' }),
});

export const machineHost = endpoint({
  path: '/api/machines/hosts/{name}',
  least: 'reader',
  summary:
    'One host or virtual machine at a moment: its resources against their usual range, its busiest processes, jobs, changes, who lives on it, and how much longer requests took there than elsewhere.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string().max(300), at: z.coerce.number().optional() }),
  answer: z.object({
    litWindow: windowAnswer,
    at: z.number(),
    name: z.string(),
    kind: z.enum(['host', 'vm']),
    standsOn: z.string(),
    cores: z.number(),
    memory: z.number().meta({ description: 'Bytes; 0 when not known.' }),
    standing: z.enum(['calm', 'ill', 'unknown']),
    since: z.number().nullable().meta({ description: 'Since when it is ill, epoch milliseconds.' }),
    until: z.number().nullable(),
    resources: z.array(
      readingAnswer.extend({
        over: z.array(z.number().nullable()).meta({ description: 'Of each minute of the lit window.' }),
      }),
    ),
    hourly: z
      .array(z.object({ rule: z.string(), median: z.number(), low: z.number(), high: z.number() }))
      .meta({ description: 'What is usual at this hour of the day, from the days before.' }),
    cause: causeAnswer.nullable(),
    processes: z.array(processAnswer).meta({ description: 'Those that take most of its cores, its disk or its memory.' }),
    guests: z.array(z.object({ name: z.string(), stolen: z.number().nullable() })),
    jobs: z.array(jobAnswer),
    changes: z.array(z.object({ at: z.number(), title: z.string(), phase: z.string(), kind: z.string() })),
    residents: z.array(
      z.object({
        service: z.string(),
        instance: z.string(),
        container: z.string(),
        vm: z.string(),
        reading: readingAnswer,
        requests: z.number(),
      }),
    ),
    comparison: comparisonAnswer.nullable(),
    guilt: z.enum(['guilty', 'not guilty', 'not known']),
  }),
  run: async ({ name, at, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const known = await knownFleet(windows);
    const machine = known.machines.get(name);
    if (!machine) throw new ApiError(404, `No host or virtual machine ${name.slice(0, 100)} was reported in this window.`);
    const minute = minuteOf(known, at ?? worstOf(known, name, machine.kind));
    const time = (of: number) => (known.firstMinute + of) * MINUTE_MS;
    const readings = machineReadings(known, machine, minute);
    const [worst] = readings;
    const standing = standingOfAll(readings);
    const stretch =
      standing === 'ill'
        ? stretchAround(
            (of) => layersOf(machine.kind).some((layer) => known.fleet.isIll(layer, name, undefined, of - 1, of + 2)),
            minute,
            known.minutes,
          )
        : undefined;
    const between = stretch
      ? { from: time(stretch.first), to: time(stretch.last + 1) }
      : { from: time(Math.max(0, minute - AROUND)), to: time(Math.min(known.minutes, minute + AROUND + 1)) };
    const window = { from: time(0), to: time(known.minutes) };
    const pairs = hostPairs(known, name, stretch ? between : window);
    const [now, then] = [compareHost(pairs.lit), compareHost(pairs.before)];
    const residents = residentsOf(known).get(name) ?? [];
    const [processes, jobs, changes] = await Promise.all([
      comparedProcesses(name, ns(between.from), ns(between.to), before),
      jobsOf(name, lit.from, lit.to),
      changesBetween(lit.from, lit.to),
    ]);
    return {
      litWindow: describeWindow(lit),
      at: time(minute),
      name,
      kind: machine.kind,
      standsOn: machine.standsOn,
      cores: machine.cores,
      memory: machine.memory,
      standing,
      since: stretch ? between.from : null,
      until: stretch ? between.to : null,
      resources: readings
        .filter(({ value, usual }) => !Number.isNaN(value) || usual)
        .map((reading) => ({
          ...describeReading(reading),
          over: valuesOf(known, machine.kind, name, reading.rule),
        })),
      hourly: await hourlyUsual(known, machine.kind, name, time(minute)),
      cause: describeCause(name, known, worst, processes),
      processes: listed(processes),
      guests: [...known.machines.values()]
        .filter(({ standsOn }) => standsOn === name)
        .map((guest) => {
          const [steal] = machineReadings(known, guest, minute).filter(({ rule }) => rule === 'steal');
          return { name: guest.name, stolen: !steal || Number.isNaN(steal.value) ? null : steal.value };
        }),
      jobs,
      changes: changes
        .filter(({ title }) => mentions(title, name))
        .slice(0, MOST_LISTED)
        .map(({ at: of, title, phase, kind }) => ({ at: of, title, phase, kind })),
      residents: residents.map((place) => {
        const { service, instance, container, vm } = known.columns[place];
        const requests = [...known.calls[place].lit.values()].reduce((sum, { calls }) => sum + calls, 0);
        return {
          service,
          instance,
          container,
          vm,
          requests,
          reading: describeReading(serviceReading(known, known.calls[place], minute)),
        };
      }),
      comparison: now ? { ...now, interval: [...now.interval], before: then?.ratio ?? null } : null,
      guilt: guiltOf(now, then),
    };
  },
});

/** The busiest of any kind, each with the cores that it took before. */
function listed(processes: readonly ComparedProcess[]): (MeanProcess & { before: number })[] {
  const all = processes.map(({ lit, before }) => ({ ...lit, before: before?.cores ?? 0 }));
  return busiest(all, MOST_LISTED);
}

const ns = (ms: number) => BigInt(ms) * 1_000_000n;
const layersOf = (kind: 'host' | 'vm'): readonly Layer[] => (kind === 'vm' ? ['vm'] : ['host', 'disk', 'network']);
const machineRules = (kind: 'host' | 'vm'): Rule[] => layersOf(kind).flatMap((layer) => [...rulesOf(layer)]);

/** Where this machine is worst, epoch milliseconds; undefined when it is well all the time. */
function worstOf({ fleet, minutes, firstMinute }: KnownFleet, name: string, kind: 'host' | 'vm'): number | undefined {
  const ill: number[] = [];
  for (let minute = 0; minute < minutes; minute++)
    if (layersOf(kind).some((layer) => fleet.isIll(layer, name, undefined, minute - 2, minute + 3))) ill.push(minute);
  return ill.length === 0 ? undefined : (firstMinute + ill[ill.length >> 1]) * MINUTE_MS;
}

function valuesOf({ fleet }: KnownFleet, kind: 'host' | 'vm', name: string, id: string): (number | null)[] {
  const rule = machineRules(kind).find((it) => it.id === id)!;
  return Array.from(fleet.series('lit', rule, name, undefined) ?? [], (value) => (Number.isNaN(value) ? null : value));
}

/** Whether a title names something, as a word of its own. */
function mentions(title: string, name: string): boolean {
  return title.split(/[^\w.-]+/).includes(name);
}

const A_DAY = 24 * 60;

/** What is usual at the hour of a moment: half an hour around it a day before, where the reference or the lit window reaches there. */
async function hourlyUsual(
  known: KnownFleet,
  kind: 'host' | 'vm',
  name: string,
  at: number,
): Promise<({ rule: string } & UsualRange)[]> {
  const minute = Math.floor(at / MINUTE_MS) - A_DAY;
  return machineRules(kind).flatMap((rule) => {
    for (const side of ['before', 'lit'] as const) {
      const measures = known.fleet[side];
      const first = minute - 30 - measures.firstMinute;
      if (first < 0 || first + 60 > measures.minutes) continue;
      const range = usualRange(known.fleet.series(side, rule, name, undefined)?.slice(first, first + 60) ?? [], rule.least);
      if (range) return [{ rule: rule.id, ...range }];
    }
    return [];
  });
}

/** The jobs of a host: when they are due, when they ran in a window, and when they usually do. */
async function jobsOf(host: string, from: bigint, to: bigint): Promise<z.input<typeof jobAnswer>[]> {
  const objects = await objectsAt(to, ['job']);
  const own = objects.filter(({ standsOn, partOf }) => standsOn === host || partOf === host);
  const events = await objectEvents(to > RUNS_BACK ? to - RUNS_BACK : 0n, to, { ids: own.map(({ id }) => id) });
  const [fromMs, toMs] = [Number(from / 1_000_000n), Number(to / 1_000_000n)];
  return own
    .map(({ id, name, detail }) => {
      const runs = jobRuns(events.filter(({ objectId }) => objectId === id).reverse());
      const within = runs.filter((it) => it.from < toMs && (it.to ?? toMs) >= fromMs);
      const began = runs.filter((it) => it.from < fromMs - MINUTE_MS).map((it) => Math.floor(it.from / MINUTE_MS) % A_DAY);
      return {
        id,
        name,
        schedule: String(detail.schedule ?? ''),
        runs: within.slice(-MOST_LISTED),
        count: within.length,
        // One that runs many times a day has no usual time.
        usually: began.length === 0 || began.length > 14 ? null : (median(began) ?? null),
      };
    })
    .sort((a, b) => longest(b.runs, toMs) - longest(a.runs, toMs) || (a.name < b.name ? -1 : 1))
    .slice(0, MOST_LISTED);
}

function longest(runs: readonly { from: number; to: number | null }[], now: number): number {
  return runs.reduce((most, { from, to }) => Math.max(most, (to ?? now) - from), 0);
}
