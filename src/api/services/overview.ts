import { z } from 'zod';
import { seriesKeyOf } from '../../core/incidents/watchedSeries.ts';
import { addCalls, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { condition } from '../../core/scope/condition.ts';
import type { ComparedGraph } from '../../core/topology/compareGraphs.ts';
import { type ServiceFigures, serviceFigures } from '../../core/topology/nodeFigures.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { incidentsBetween } from '../../store/incidents/incidents.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { sumsOverTime } from '../../store/rollups/overTime.ts';
import { rollupSums } from '../../store/rollups/rollupSums.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { isInRollups } from '../../store/scope/traceFilter.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import type { WindowTraffic } from '../map/graphs.ts';
import { describeSum, sumAnswer } from '../map/map.ts';
import { describeVerdict, verdictAnswer } from '../verdict/verdicts.ts';
import { changeAbout, changesAbout } from './changesAbout.ts';
import {
  byCalls,
  comparedAnswer,
  describeEnds,
  describePairs,
  describeRead,
  describeSeries,
  endsAnswer,
  graphOfBoth,
  readAnswer,
  seriesAnswer,
  stepOf,
  trafficOfBoth,
} from './figures.ts';

export type ServiceOverview = z.output<typeof serviceOverview.answer>;

const HOUR_NS = 3_600_000_000_000n;
const MINUTE_NS = 60_000_000_000n;

export const serviceOverview = endpoint({
  path: '/api/services/{name}',
  least: 'reader',
  summary:
    'One service, lit against before: its requests over time, its instances and versions, operations, callers and callees.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    name: z.string(),
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    requests: readAnswer,
    namespace: z.string().nullable(),
    lit: sumAnswer,
    before: sumAnswer,
    ...verdictAnswer.shape,
    p99Ns: z.object({ lit: z.number().nullable(), before: z.number().nullable() }),
    series: seriesAnswer,
    instances: z.array(z.object({ instance: z.string(), version: z.string(), host: z.string(), ...comparedAnswer })),
    versions: z.array(z.object({ version: z.string(), ...comparedAnswer })),
    operations: z.array(z.object({ name: z.string(), kind: z.enum(SPAN_KINDS), ...comparedAnswer })),
    callers: z.array(endsAnswer),
    callees: z.array(endsAnswer),
    changes: z
      .array(changeAbout)
      .meta({ description: 'From two hours before the window, or before its trouble began, until the end of it.' }),
  }),
  run: async ({ name, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const own = (await allInstances()).filter(({ service }) => service === name);
    if (own.length === 0) throw new ApiError(404, `no service ${JSON.stringify(name.slice(0, 80))} has sent anything`);
    const step = stepOf(windows);
    // Of a narrowed scope, only the requests that it took part in have anything to tell.
    const within = (window: Window): Window =>
      !isInRollups(window) ? { ...window, where: [...(window.where ?? []), condition('service', 'is', name)] } : window;
    const traffic = await trafficOfBoth({ lit: within(lit), before: within(before) });
    const [now, then, graph, changes] = await Promise.all([
      figuresOf(name, lit, step, traffic.lit),
      figuresOf(name, before, step, traffic.before),
      graphOfBoth(windows, traffic),
      changesBetween((await troubleBegan(name, lit)) - 2n * HOUR_NS, lit.to),
    ]);
    const hosts = [...new Set(own.map(({ host }) => host))];
    const all = { lit: sumOf(now.overTime.values()), before: sumOf(then.overTime.values()) };
    return {
      name,
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      requests: describeRead(traffic),
      namespace: own.find(({ namespace }) => namespace !== '')?.namespace ?? null,
      lit: describeSum(all.lit),
      before: describeSum(all.before),
      ...describeVerdict(graph.nodes.find(({ id }) => id === name)?.verdict ?? { state: 'unknown', basis: 'none' }),
      p99Ns: { lit: quantiles(all.lit.sketch, [0.99])[0], before: quantiles(all.before.sketch, [0.99])[0] },
      series: describeSeries({ lit: now.overTime, before: then.overTime }, step),
      instances: describePairs(
        grouped(now.instances, then.instances, ({ of: { instance, host } }) => `${instance}\0${host}`)
          .map(
            ({
              lit: seen,
              before: seenBefore,
              first: {
                of: { instance, host },
              },
            }) => ({
              instance,
              version: versionsOf(seen, seenBefore),
              host,
              lit: total(seen),
              before: total(seenBefore),
            }),
          )
          .sort((a, b) => (a.instance < b.instance ? -1 : 1)),
      ),
      versions: describePairs(
        grouped(now.instances, then.instances, ({ of }) => of.version)
          .map(
            ({
              lit: seen,
              before: seenBefore,
              first: {
                of: { version },
              },
            }) => ({
              version,
              lit: total(seen),
              before: total(seenBefore),
            }),
          )
          .sort(byCalls),
      ),
      operations: describePairs(
        grouped(now.operations, then.operations, (it) => `${it.kind} ${it.name}`)
          .map(({ lit: seen, before: seenBefore, first: { name: operation, kind } }) => ({
            name: operation,
            kind,
            lit: total(seen),
            before: total(seenBefore),
          }))
          .sort((a, b) => b.lit.okNs - a.lit.okNs),
      ),
      callers: graph.edges
        .filter(({ to }) => to === name)
        .map(describeEnds(graph))
        .sort(byCalls),
      callees: graph.edges
        .filter(({ from }) => from === name)
        .map(describeEnds(graph))
        .sort(byCalls),
      changes: changesAbout(changes, [name, ...hosts, ...calledBy(graph, name)]),
    };
  },
});

/** When an open incident of the service began, at most the window's beginning; epoch nanoseconds. */
async function troubleBegan(service: string, { from, to }: Window): Promise<bigint> {
  const [incidents, operations] = await Promise.all([
    incidentsBetween(Number(from / MINUTE_NS), Number((to - 1n) / MINUTE_NS)),
    allOperations(),
  ]);
  const own = new Set(operations.flatMap((it) => (it.service === service ? [seriesKeyOf('operation', it.id)] : [])));
  const begins = incidents
    .filter((it) => it.shifts.some(({ series }) => own.has(series)))
    .map((it) => BigInt(it.firstMinute) * MINUTE_NS);
  return begins.reduce((earliest, it) => (it < earliest ? it : earliest), from);
}

/** What a service calls that does not report itself: databases, caches, queues, partners. */
function calledBy({ nodes, edges }: ComparedGraph, service: string): string[] {
  const called = new Set(edges.filter(({ from }) => from === service).map(({ to }) => to));
  return nodes.filter(({ id, kind }) => called.has(id) && kind !== 'service').map(({ name }) => name);
}

/** What the service did in a window: counted from the traces where these were read, else from the rollups. */
async function figuresOf(name: string, { from, to }: Window, step: number, { traces }: WindowTraffic): Promise<ServiceFigures> {
  if (traces) return serviceFigures(traces, name, step);
  const [instances, operations, byInstance, byOperation] = await Promise.all([
    allInstances(),
    allOperations(),
    rollupSums('instance_minute', from, to),
    rollupSums('operation_minute', from, to),
  ]);
  const own = instances.filter(({ service }) => service === name);
  const found = <T extends { readonly id: number }>(items: readonly T[], sums: ReadonlyMap<number, CallSum>) =>
    items.flatMap((it) => (sums.has(it.id) ? [{ it, sum: sums.get(it.id)! }] : []));
  return {
    overTime: await sumsOverTime(
      'instance_minute',
      own.map(({ id }) => id),
      from,
      to,
      step,
    ),
    instances: found(own, byInstance).map(({ it, sum }) => ({ of: it, sum })),
    operations: found(
      operations.filter(({ service }) => service === name),
      byOperation,
    ).map(({ it, sum }) => ({ name: it.name, kind: SPAN_KINDS[it.kind], sum })),
  };
}

type InstanceFigures = ServiceFigures['instances'][number];

/** What both sides have of each key. */
function grouped<T extends { readonly sum: CallSum }>(lit: readonly T[], before: readonly T[], keyOf: (it: T) => string) {
  const groups = new Map<string, { lit: T[]; before: T[] }>();
  const group = (it: T) => {
    const found = groups.get(keyOf(it)) ?? { lit: [], before: [] };
    groups.set(keyOf(it), found);
    return found;
  };
  for (const it of lit) group(it).lit.push(it);
  for (const it of before) group(it).before.push(it);
  return [...groups.values()].map((it) => ({ ...it, first: [...it.lit, ...it.before][0] }));
}

/** "4.6.3 → 4.7.0" where it changed from one window to the other. */
function versionsOf(lit: readonly InstanceFigures[], before: readonly InstanceFigures[]): string {
  const seen = (of: readonly InstanceFigures[]) => [...new Set(of.map((it) => it.of.version))].join(', ');
  const [then, now] = [seen(before), seen(lit)];
  return then === now || then === '' ? now : now === '' ? then : `${then} → ${now}`;
}

function total(of: readonly { readonly sum: CallSum }[]): CallSum {
  return sumOf(of.map(({ sum }) => sum));
}

function sumOf(sums: Iterable<CallSum>): CallSum {
  const all = noCalls();
  for (const sum of sums) addCalls(all, sum);
  return all;
}
