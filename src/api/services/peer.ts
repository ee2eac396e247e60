import { z } from 'zod';
import { noCalls } from '../../core/measures/callSum.ts';
import { condition } from '../../core/scope/condition.ts';
import { NODE_KINDS, type NodeKind, nodeId, peerKind } from '../../core/topology/node.ts';
import { callsOverTime, type OverTime, visitorOverTime } from '../../core/topology/nodeFigures.ts';
import { attributeOf } from '../../core/trace/attributeNames.ts';
import { databaseSystem, peerName, protocolOf } from '../../core/trace/peer.ts';
import type { Verdict } from '../../core/verdict/verdict.ts';
import { measuresOfQueue } from '../../store/measures/measures.ts';
import { sumsOverTime } from '../../store/rollups/overTime.ts';
import { callsTo } from '../../store/rollups/traffic.ts';
import { visitsOverTime } from '../../store/rollups/visitTraffic.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import type { WindowTraffic } from '../map/graphs.ts';
import { describeSum, sumAnswer } from '../map/map.ts';
import { rememberWindows } from '../rememberWindows.ts';
import { describeVerdict, verdictAnswer } from '../verdict/verdicts.ts';
import {
  type BothSides,
  byCalls,
  describeEnds,
  describeRead,
  describeSeries,
  endsAnswer,
  graphOfBoth,
  readAnswer,
  seriesAnswer,
  stepOf,
  trafficOfBoth,
} from './figures.ts';
import { comparedMeasure, compareMeasures } from './measures.ts';
import { queueWaitsOf } from './queueWaits.ts';
import { visitorPages } from './visitorPages.ts';

export type PeerOverview = z.output<typeof peerOverview.answer>;

/** Traces of either side whose calls are looked at for what was answered. */
const SAMPLE = 200;

export const peerOverview = endpoint({
  path: '/api/peers/{id}',
  least: 'reader',
  summary:
    'A partner, database, cache or queue as those see it that call it, or visitors by what they ask for, lit against before.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, id: z.string() }),
  answer: z.object({
    id: z.string(),
    kind: z.enum(NODE_KINDS),
    name: z.string(),
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    requests: readAnswer,
    lit: sumAnswer,
    before: sumAnswer,
    ...verdictAnswer.shape,
    series: seriesAnswer,
    callers: z.array(endsAnswer),
    callees: z.array(endsAnswer),
    answers: z
      .array(z.object({ answer: z.string(), lit: z.int(), before: z.int() }))
      .meta({ description: 'What it answered in a sample of traces: the response code, or how the call ended.' }),
    sampled: z.object({ lit: z.int(), before: z.int() }).meta({ description: 'Calls of the sample.' }),
    waits: z
      .object({ lit: sumAnswer, before: sumAnswer, ...verdictAnswer.shape })
      .nullable()
      .meta({
        description: 'Of a queue: how long messages waited in it, in a sample; null when they do not name who sent them.',
      }),
    measures: z.array(comparedMeasure).meta({ description: 'Of a queue: what is measured of it, such as its depth.' }),
    pages: z
      .array(z.object({ name: z.string(), lit: sumAnswer, before: sumAnswer, ...verdictAnswer.shape }))
      .meta({ description: 'Of visitors: their pages or screens; a call is a view, a failure a crash, the worst first.' }),
  }),
  remember: async ({ id, ...query }) => rememberWindows(await windowsOf(query), id),
  run: async ({ id, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const traffic = await trafficOfBoth(windows);
    const graph = await graphOfBoth(windows, traffic);
    const found = graph.nodes.find((it) => it.id === id);
    // Of some visitors only pages are known, since their requests name no trace.
    const pages = !found || found.kind === 'visitors' ? await visitorPages(id, windows) : [];
    const node = found ?? (pages.length > 0 ? onlyPages(id) : undefined);
    if (!node || node.kind === 'service')
      throw new ApiError(404, `no calls to ${JSON.stringify(id.slice(0, 80))} in these windows`);
    const step = stepOf(windows);
    const callers = graph.edges.filter(({ to }) => to === id);
    const services = [...new Set(callers.map(({ from }) => from))];
    const overTime = await overTimeOf(id, node.kind, step);
    const [over, overBefore, answers, answersBefore] = await Promise.all([
      overTime(lit, traffic.lit),
      overTime(before, traffic.before),
      answersOf(id, services, lit),
      answersOf(id, services, before),
    ]);
    const named = new Set([...answers.keys(), ...answersBefore.keys()]);
    const count = (of: ReadonlyMap<string, number>) => [...of.values()].reduce((sum, it) => sum + it, 0);
    return {
      id,
      kind: node.kind,
      name: node.name,
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      requests: describeRead(traffic),
      lit: describeSum(node.lit),
      before: describeSum(node.before),
      ...describeVerdict(node.verdict),
      series: describeSeries({ lit: over, before: overBefore }, step),
      callers: callers.map(describeEnds(graph)).sort(byCalls),
      callees: graph.edges
        .filter(({ from }) => from === id)
        .map(describeEnds(graph))
        .sort(byCalls),
      answers: [...named]
        .map((answer) => ({ answer, lit: answers.get(answer) ?? 0, before: answersBefore.get(answer) ?? 0 }))
        .sort((a, b) => b.lit - a.lit || b.before - a.before),
      sampled: { lit: count(answers), before: count(answersBefore) },
      ...(node.kind === 'queue'
        ? await queueOf(
            node.name,
            graph.edges.filter(({ from }) => from === id).map((edge) => edge.to),
            windows,
          )
        : { waits: null, measures: [] }),
      pages,
    };
  },
});

/** Visitors of whom no request is known. */
function onlyPages(name: string) {
  const verdict: Verdict = { state: 'unknown', basis: 'none' };
  return { kind: 'visitors' as const, name, lit: noCalls(), before: noCalls(), verdict };
}

/** What only queues have: waits, depth and age. */
async function queueOf(name: string, consumers: readonly string[], windows: BothSides<Window>) {
  const { lit, before } = windows;
  const [waits, now, then] = await Promise.all([
    queueWaitsOf(name, consumers, windows),
    measuresOfQueue(name, lit.from, lit.to),
    measuresOfQueue(name, before.from, before.to),
  ]);
  return { waits, measures: compareMeasures(now, then) };
}

/** Tells how the calls to a node, or those that visitors make, went over time. @param step minutes of a stretch */
async function overTimeOf(
  id: string,
  kind: NodeKind,
  step: number,
): Promise<(window: Window, of: WindowTraffic) => Promise<OverTime>> {
  if (kind === 'visitors')
    return async ({ from, to }, { traces, visitOf }) =>
      traces && visitOf ? visitorOverTime(traces, visitOf, id, step) : visitsOverTime(id, from, to, step);
  const callIds = await callsTo(id);
  return async ({ from, to }, { traces }) =>
    traces ? callsOverTime(traces, id, step) : sumsOverTime('call_minute', callIds, from, to, step);
}

/** What a peer answered to the calls of a sample of traces. */
async function answersOf(id: string, callers: readonly string[], window: Window): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  if (callers.length === 0) return counts;
  const where = [...(window.where ?? []), condition('service', 'is', ...callers)];
  const { traces } = await sampleTraces({ ...window, where }, SAMPLE, 'uniform');
  for (const { kind, attributes, status } of traces.flatMap(({ spans }) => spans)) {
    if (kind !== 'client' && kind !== 'producer') continue;
    const database = databaseSystem(attributes) !== undefined;
    if (nodeId(peerKind(kind, protocolOf(attributes), database), peerName(attributes)) !== id) continue;
    const code = attributeOf(attributes, 'http.response.status_code') ?? attributeOf(attributes, 'rpc.grpc.status_code');
    const answer = code === undefined ? (status === 'error' ? 'failed without an answer' : 'answered') : String(code);
    counts.set(answer, (counts.get(answer) ?? 0) + 1);
  }
  return counts;
}
