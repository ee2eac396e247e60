import { z } from 'zod';
import { compare } from '../../core/journeys/compare.ts';
import { addCalls, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { type ComparedEdge, type ComparedGraph, compareGraphs } from '../../core/topology/compareGraphs.ts';
import { graphOf } from '../../core/topology/graph.ts';
import { NODE_KINDS } from '../../core/topology/node.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { allOperations } from '../../store/dictionaries.ts';
import { type SumAt, sumsOverTime } from '../../store/overTime.ts';
import { changesBetween } from '../../store/recentEvents.ts';
import { tallySums } from '../../store/tallySums.ts';
import { addressees, allInstances, trafficBetween } from '../../store/traffic.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { describeEdge, describeSum, edgeAnswer, sumAnswer } from '../map/map.ts';

export type ServiceOverview = z.output<typeof serviceOverview.answer>;
export type SumPoint = z.output<typeof sumPoint>;

const state = z.enum(['calm', 'strained', 'failing', 'unknown']);
const compared = { lit: sumAnswer, before: sumAnswer, state };
export const sumPoint = z.object({
  at: z.number(),
  calls: z.int(),
  failures: z.int(),
  p50Ns: z.number().nullable(),
  p95Ns: z.number().nullable(),
  p99Ns: z.number().nullable(),
});
export const seriesAnswer = z.object({
  stepMs: z.number(),
  lit: z.array(sumPoint),
  before: z.array(sumPoint),
});

/** Calls with what kind of thing stands at either end. */
export const endsAnswer = edgeAnswer.extend({ fromKind: z.enum(NODE_KINDS), toKind: z.enum(NODE_KINDS) });

/** Windows are drawn in about so many stretches. */
const STRETCHES = 40;
const MINUTE_NS = 60_000_000_000n;
const HOUR_NS = 60n * MINUTE_NS;

export const serviceOverview = endpoint({
  path: '/api/services/{name}',
  summary:
    'One service, lit against before: its requests over time, its instances and versions, operations, callers and callees.',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    name: z.string(),
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    namespace: z.string().nullable(),
    ...compared,
    p99Ns: z.object({ lit: z.number().nullable(), before: z.number().nullable() }),
    series: seriesAnswer,
    instances: z.array(z.object({ instance: z.string(), version: z.string(), host: z.string(), ...compared })),
    versions: z.array(z.object({ version: z.string(), ...compared })),
    operations: z.array(z.object({ name: z.string(), kind: z.enum(SPAN_KINDS), ...compared })),
    callers: z.array(endsAnswer),
    callees: z.array(endsAnswer),
    changes: z.array(z.object({ at: z.number(), kind: z.string(), phase: z.string(), title: z.string() })),
  }),
  run: async ({ name, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const known = await allInstances();
    const own = known.filter(({ service }) => service === name);
    if (own.length === 0) throw new ApiError(404, `no service ${JSON.stringify(name.slice(0, 80))} has sent anything`);
    const ids = own.map(({ id }) => id);
    const step = stepOf(lit, before);
    const [byInstance, byInstanceBefore, byOperation, byOperationBefore, operations, over, overBefore, graph, changes] =
      await Promise.all([
        tallySums('instance_minute', lit.from, lit.to),
        tallySums('instance_minute', before.from, before.to),
        tallySums('operation_minute', lit.from, lit.to),
        tallySums('operation_minute', before.from, before.to),
        allOperations(),
        sumsOverTime('instance_minute', ids, lit.from, lit.to, step),
        sumsOverTime('instance_minute', ids, before.from, before.to, step),
        graphBetween(windows),
        changesBetween(lit.from - 2n * HOUR_NS, lit.to),
      ]);
    const all = { lit: sumOf(ids, byInstance), before: sumOf(ids, byInstanceBefore) };
    const grouped = (keyOf: (it: (typeof own)[number]) => string) => {
      const groups = new Map<string, (typeof own)[number][]>();
      for (const it of own) groups.set(keyOf(it), [...(groups.get(keyOf(it)) ?? []), it]);
      return [...groups.values()]
        .map((members) => {
          const memberIds = members.map(({ id }) => id);
          return { it: members[0], members, ...describePair(sumOf(memberIds, byInstance), sumOf(memberIds, byInstanceBefore)) };
        })
        .filter((it) => it.lit.calls + it.before.calls > 0);
    };
    /** "4.6.3 → 4.7.0" where it changed from one window to the other. */
    const versionsOf = (members: typeof own) => {
      const seen = (sums: ReadonlyMap<number, CallSum>) => [
        ...new Set(members.filter(({ id }) => sums.has(id)).map(({ version }) => version)),
      ];
      const [then, now] = [seen(byInstanceBefore).join(', '), seen(byInstance).join(', ')];
      return then === now || then === '' ? now : now === '' ? then : `${then} → ${now}`;
    };
    const node = (id: string) => id === name;
    return {
      name,
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      namespace: own.find(({ namespace }) => namespace !== '')?.namespace ?? null,
      ...describePair(all.lit, all.before),
      p99Ns: { lit: quantiles(all.lit.sketch, [0.99])[0], before: quantiles(all.before.sketch, [0.99])[0] },
      series: { stepMs: step * 60_000, lit: over.map(describePoint), before: overBefore.map(describePoint) },
      instances: grouped(({ instance, host }) => `${instance}\0${host}`)
        .map(({ it: { instance, host }, members, ...rest }) => ({ instance, version: versionsOf(members), host, ...rest }))
        .sort((a, b) => (a.instance < b.instance ? -1 : 1)),
      versions: grouped(({ version }) => version)
        .map(({ it: { version }, members: _, ...rest }) => ({ version, ...rest }))
        .sort((a, b) => b.lit.calls - a.lit.calls),
      operations: operations
        .filter(({ service }) => service === name)
        .flatMap(({ id, name: operation, kind }) => {
          const pair = describePair(byOperation.get(id) ?? noCalls(), byOperationBefore.get(id) ?? noCalls());
          return pair.lit.calls + pair.before.calls === 0 ? [] : [{ name: operation, kind: SPAN_KINDS[kind], ...pair }];
        })
        .sort((a, b) => (b.lit.meanNs ?? 0) * b.lit.calls - (a.lit.meanNs ?? 0) * a.lit.calls),
      callers: graph.edges
        .filter(({ to }) => node(to))
        .map(describeEnds(graph))
        .sort(byCalls),
      callees: graph.edges
        .filter(({ from }) => node(from))
        .map(describeEnds(graph))
        .sort(byCalls),
      changes: changes.filter(({ service }) => service === name).map(({ service: _, ...it }) => it),
    };
  },
});

/** The map of all traffic of two windows. */
export async function graphBetween({ lit, before }: { readonly lit: Window; readonly before: Window }) {
  const [addressee, now, then] = await Promise.all([
    addressees(),
    trafficBetween(lit.from, lit.to),
    trafficBetween(before.from, before.to),
  ]);
  const litPerBefore = Number(lit.to - lit.from) / Number(before.to - before.from);
  return compareGraphs(graphOf(now, addressee), graphOf(then, addressee), litPerBefore);
}

export function describeEnds({ nodes }: ComparedGraph): (edge: ComparedEdge) => z.output<typeof endsAnswer> {
  const kinds = new Map(nodes.map(({ id, kind }) => [id, kind]));
  return (edge) => ({ ...describeEdge(edge), fromKind: kinds.get(edge.from)!, toKind: kinds.get(edge.to)! });
}

/** Minutes that are drawn as one. */
export function stepOf(lit: Window, before: Window): number {
  const longest = [lit, before].map(({ from, to }) => Number((to - from) / MINUTE_NS)).reduce((a, b) => Math.max(a, b));
  return Math.max(1, Math.ceil(longest / STRETCHES));
}

export function describePair(lit: CallSum, before: CallSum) {
  return { lit: describeSum(lit), before: describeSum(before), state: compare(lit, before).state };
}

export function describePoint({ at, sum }: SumAt): SumPoint {
  const [p50Ns, p95Ns, p99Ns] = quantiles(sum.sketch, [0.5, 0.95, 0.99]);
  return { at, calls: sum.calls, failures: sum.failures, p50Ns, p95Ns, p99Ns };
}

function sumOf(ids: readonly number[], sums: ReadonlyMap<number, CallSum>): CallSum {
  const all = noCalls();
  for (const id of ids) {
    const sum = sums.get(id);
    if (sum) addCalls(all, sum);
  }
  return all;
}

function byCalls(a: { lit: { calls: number } }, b: { lit: { calls: number } }): number {
  return b.lit.calls - a.lit.calls;
}
