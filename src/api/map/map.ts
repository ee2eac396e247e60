import { z } from 'zod';
import type { CallSum } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { type ComparedEdge, type ComparedNode, compareGraphs } from '../../core/topology/compareGraphs.ts';
import { NODE_KINDS } from '../../core/topology/node.ts';
import { describeWindow, windowAnswer } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { serviceVerdicts, stateAnswer } from '../verdict/verdicts.ts';
import { mapParameters, type Side, sidesOf } from './graphs.ts';

export const sumAnswer = z.object({
  calls: z.int(),
  failures: z.int(),
  clientErrors: z.int().meta({ description: 'Failures that are client errors (4xx).' }),
  meanNs: z.number().nullable().meta({ description: 'Of those that went well.' }),
  totalNs: z.number().meta({ description: 'Of all, whether they went well or not.' }),
  p50Ns: z.number().nullable().meta({ description: 'Of all; right to 2.2 %.' }),
  p95Ns: z.number().nullable(),
});
export type SumAnswer = z.output<typeof sumAnswer>;

const turn = z.enum(['new', 'gone', 'stays']);
const node = z.object({
  id: z.string(),
  kind: z.enum(NODE_KINDS),
  name: z.string(),
  service: z.string().nullable(),
  operation: z.string().nullable(),
  namespace: z.string().nullable(),
  members: z.array(z.string()).meta({ description: 'Of a group: its services.' }),
  lit: sumAnswer,
  before: sumAnswer,
  state: stateAnswer,
  changed: z.enum(['failures', 'p95', 'p50']).nullable(),
  turn,
});
export const edgeAnswer = z.object({
  from: z.string(),
  to: z.string(),
  protocol: z.string(),
  lit: sumAnswer.meta({ description: 'As the caller measured it.' }),
  before: sumAnswer,
  litCallee: sumAnswer.meta({ description: 'As the callee measured it, where it sends telemetry.' }),
  beforeCallee: sumAnswer,
  state: stateAnswer,
  turn,
});
const side = z.object({
  ...windowAnswer.shape,
  requests: z.int(),
  read: z.int().meta({ description: 'Of how many of the requests the figures are: all, or a sample.' }),
});

export type MapAnswer = z.output<typeof map.answer>;
export type MapNode = z.output<typeof node>;
export type MapEdge = z.output<typeof edgeAnswer>;

export const map = endpoint({
  path: '/api/map',
  least: 'reader',
  summary: 'Service map: services, and peers that only their callers report, lit against before.',
  runs: 'analysis',
  query: z.strictObject(mapParameters),
  answer: z.object({
    lit: side,
    before: side,
    nodes: z.array(node),
    edges: z.array(edgeAnswer),
    namespaces: z.array(z.string()),
  }),
  run: async (query) => {
    const { windows, lit, before, litPerBefore, namespaces, counted } = await sidesOf(query);
    // Of a choice of the lit requests other pages say nothing.
    const known = query.of === 'all' && query.level === 'services' ? await serviceVerdicts(windows, counted) : undefined;
    const { nodes, edges } = compareGraphs(lit.graph, before.graph, litPerBefore, known);
    const describeSide = (window: typeof windows.lit, { requests, read }: Side) => ({
      ...describeWindow(window),
      requests,
      read,
    });
    return {
      lit: describeSide(windows.lit, lit),
      before: describeSide(query.of === 'all' ? windows.before : windows.lit, before),
      nodes: nodes.map((it) => describeNode(it, namespaces)),
      edges: edges.map(describeEdge),
      namespaces: [...new Set(namespaces.values())].sort(),
    };
  },
});

function describeNode(it: ComparedNode, namespaces: ReadonlyMap<string, string>): MapNode {
  const service = it.kind === 'service' ? (it.place?.service ?? it.name) : null;
  return {
    id: it.id,
    kind: it.kind,
    name: it.name,
    service,
    operation: it.place?.operation ?? null,
    namespace: service === null ? null : (namespaces.get(service) ?? null),
    members: [...(it.members ?? [])],
    lit: describeSum(it.lit),
    before: describeSum(it.before),
    state: it.state,
    changed: it.changed ?? null,
    turn: it.turn,
  };
}

export function describeEdge(it: ComparedEdge): MapEdge {
  return {
    from: it.from,
    to: it.to,
    protocol: it.protocol,
    lit: describeSum(it.lit),
    before: describeSum(it.before),
    litCallee: describeSum(it.litCallee),
    beforeCallee: describeSum(it.beforeCallee),
    state: it.state,
    turn: it.turn,
  };
}

export function describeSum({ calls, failures, clientErrors, okNs, failedNs, sketch }: CallSum): SumAnswer {
  const [p50Ns, p95Ns] = quantiles(sketch, [0.5, 0.95]);
  return {
    calls,
    failures,
    clientErrors,
    meanNs: calls > failures ? okNs / (calls - failures) : null,
    totalNs: okNs + failedNs,
    p50Ns,
    p95Ns,
  };
}
