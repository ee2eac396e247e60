import { z } from 'zod';
import { withoutClientErrors } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { collapse, mapSums } from '../../core/topology/collapse.ts';
import { type Graph, graphOf } from '../../core/topology/graph.ts';
import { type Traffic, trafficOf, type VisitorRequest } from '../../core/topology/traffic.ts';
import { assemble, type Trace } from '../../core/trace/assemble.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { entryFigures, requestCount } from '../../store/rollups/entryFigures.ts';
import { addressees, allInstances, trafficBetween } from '../../store/rollups/traffic.ts';
import { visitorRequests } from '../../store/rollups/visitTraffic.ts';
import { entryOf, skimmedTraces } from '../../store/scope/scopeTraces.ts';
import { isNarrowed } from '../../store/scope/traceFilter.ts';
import { yieldToEventLoop } from '../breathing.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';

/** What every question about the map takes. */
export const mapParameters = {
  ...comparisonParameters,
  level: z.enum(['services', 'operations']).default('services'),
  of: z.enum(['all', 'slow', 'failed']).default('all').meta({
    description:
      'slow, failed: the requests of the lit window that took longer than 95 of 100 did before, or that failed, held against the rest of it.',
  }),
  clientErrors: z
    .enum(['shown', 'hidden'])
    .default('shown')
    .meta({ description: 'hidden: a failure whose answer blames the caller (4xx) counts as gone well.' }),
  group: z.enum(['none', 'namespace']).default('none'),
  open: z.string().default('').meta({ description: 'Groups that are not drawn as one, separated by commas.' }),
};

export type MapQuery = z.output<z.ZodObject<typeof mapParameters>>;

/** Traces that are read of either side where the rollups cannot tell; of more, a fair part. */
const MOST_TRACES = 6_000;

/** One side of the map: who calls whom, and of how many requests it was made out. */
export interface Side {
  readonly graph: Graph;
  /** Requests of the scope, and how many of them the graph is of. */
  readonly requests: number;
  readonly read: number;
}

export interface Sides {
  readonly windows: { readonly lit: Window; readonly before: Window };
  readonly lit: Side;
  readonly before: Side;
  /** How much of a thing is to be expected lit for one of it before. */
  readonly litPerBefore: number;
  /** The namespace of each service that has one. */
  readonly namespaces: ReadonlyMap<string, string>;
}

/** Draws up both sides of the map that is asked for. */
export async function sidesOf(query: MapQuery): Promise<Sides> {
  const { level, of, clientErrors, group, open, ...comparison } = query;
  const [windows, addressee, instances] = await Promise.all([windowsOf(comparison), addressees(), allInstances()]);
  const namespaces = new Map(instances.flatMap(({ service, namespace }) => (namespace === '' ? [] : [[service, namespace]])));
  const opened = new Set(open.split(','));
  const finish = (traffic: Traffic): Graph => {
    const graph = graphOf(traffic, addressee);
    const judged = clientErrors === 'hidden' ? mapSums(graph, withoutClientErrors) : graph;
    if (group === 'none') return judged;
    return collapse(judged, ({ kind, place, name }) => {
      const namespace = kind === 'service' ? namespaces.get(place?.service ?? name) : undefined;
      return namespace === undefined || opened.has(namespace) ? undefined : namespace;
    });
  };
  const byOperation = level === 'operations';
  const lengthOf = ({ from, to }: Window) => Number(to - from);
  const litPerBefore = lengthOf(windows.lit) / lengthOf(windows.before);

  if (of !== 'all') {
    const [{ total, traces }, usual] = await Promise.all([tracesOf(windows.lit), entryFigures(windows.before)]);
    const bounds = new Map([...usual].map(([id, { sketch }]) => [id, quantiles(sketch, [0.95])[0] ?? Number.POSITIVE_INFINITY]));
    const entryIds = await entryOf(idsOf(traces));
    const isChosen = (trace: Trace) => {
      const { span } = trace.nodes[trace.roots[0]];
      if (of === 'failed') return span.status === 'error';
      const bound = bounds.get(entryIds.get(trace.traceId) ?? -1);
      return bound !== undefined && Number(span.end - span.start) > bound;
    };
    const chosen = traces.filter(isChosen);
    const rest = traces.filter((trace) => !isChosen(trace));
    const side = (part: readonly Trace[]): Side => ({
      graph: finish(trafficOf(part, byOperation)),
      requests: traces.length === 0 ? 0 : Math.round((total * part.length) / traces.length),
      read: part.length,
    });
    return {
      windows,
      lit: side(chosen),
      before: side(rest),
      litPerBefore: rest.length === 0 ? 1 : Math.max(chosen.length, 1) / rest.length,
      namespaces,
    };
  }

  const side = async (window: Window): Promise<Side> => {
    const { traffic, requests, read } = await trafficIn(window, byOperation);
    return { graph: finish(traffic), requests, read };
  };
  const [lit, before] = await Promise.all([side(windows.lit), side(windows.before)]);
  return { windows, lit, before, litPerBefore, namespaces };
}

/** What was asked of whom in a window, and of how many of its requests that was made out. */
export interface WindowTraffic {
  readonly traffic: Traffic;
  /** The traces that it was made out from; undefined when the rollups told. */
  readonly traces: readonly Trace[] | undefined;
  /** The visitor's request that began one of them. */
  readonly visitOf?: (trace: Trace) => VisitorRequest | undefined;
  readonly requests: number;
  readonly read: number;
}

/** All traffic of a window: from the rollups, or, where they cannot tell, from traces. */
export async function trafficIn(window: Window, byOperation = false): Promise<WindowTraffic> {
  if (!byOperation && !isNarrowed(window)) {
    const { from, to } = window;
    const [traffic, requests] = await Promise.all([trafficBetween(from, to), requestCount(from, to)]);
    return { traffic, traces: undefined, requests, read: requests };
  }
  const { total, traces } = await tracesOf(window);
  const visits = await visitorRequests(idsOf(traces), window.from, window.to);
  const visitOf = (trace: Trace) => {
    const visit = visits.get(trace.traceId);
    return visit && { ...visit, failed: trace.nodes[trace.roots[0]].span.status === 'error' };
  };
  return { traffic: trafficOf(traces, byOperation, visitOf), traces, visitOf, requests: total, read: traces.length };
}

async function tracesOf(window: Window): Promise<{ total: number; traces: Trace[] }> {
  const { total, traces } = await skimmedTraces(window, MOST_TRACES);
  return { total, traces: await assembled(traces) };
}

/** The trees of some traces; those without a span are left out. */
export async function assembled(traces: readonly (readonly Span[])[]): Promise<Trace[]> {
  const trees = await yieldToEventLoop(traces, (spans) => assemble(spans));
  return trees.filter((trace) => trace !== undefined);
}

function idsOf(trees: readonly Trace[]): TraceId[] {
  return trees.map((tree) => tree.traceId);
}
