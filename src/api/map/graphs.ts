import { z } from 'zod';
import { withoutClientErrors } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { readOperation } from '../../core/requests/requestColumns.ts';
import type { ReadRequest } from '../../core/requests/trafficRows.ts';
import { collapse, mapSums } from '../../core/topology/collapse.ts';
import { type Graph, graphOf } from '../../core/topology/graph.ts';
import { type Traffic, TrafficSums, trafficOf, type VisitorRequest } from '../../core/topology/traffic.ts';
import { assemble, type Trace } from '../../core/trace/assemble.ts';
import type { Span } from '../../core/trace/span.ts';
import { operationIds } from '../../store/dictionaries/dictionaries.ts';
import { operationTraffic } from '../../store/requests/operationTraffic.ts';
import { eachRequestWithSpans } from '../../store/requests/requestTraffic.ts';
import { entryFigures, requestCount } from '../../store/rollups/entryFigures.ts';
import { addressees, allInstances, trafficBetween } from '../../store/rollups/traffic.ts';
import { visitorRequests } from '../../store/rollups/visitTraffic.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import { isInRollups } from '../../store/scope/traceFilter.ts';
import { yieldToEventLoop } from '../breathing.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { ApiError } from '../endpoint.ts';

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
    .meta({ description: 'hidden: client errors (4xx) count as successful.' }),
  group: z.enum(['none', 'namespace']).default('none'),
  open: z
    .string()
    .default('')
    .meta({ description: 'Groups that are not drawn as one, percent-encoded, with commas between them.' }),
};

export type MapQuery = z.output<z.ZodObject<typeof mapParameters>>;

/** Traces that are read of either side of a narrowed scope where single spans are asked for. */
const MOST_TRACES = 3_000;

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
  /** What each service handled, where conditions narrow the windows. */
  readonly counted?: BothHandled;
}

interface BothHandled {
  readonly lit: Traffic['handled'];
  readonly before: Traffic['handled'];
}

function openedGroups(open: string): string[] {
  try {
    return open.split(',').map(decodeURIComponent);
  } catch {
    throw new ApiError(400, 'open: is not percent-encoded');
  }
}

/** Draws up both sides of the map that is asked for. */
export async function sidesOf(query: MapQuery): Promise<Sides> {
  const { level, of, clientErrors, group, open, ...comparison } = query;
  const [windows, addressee, instances] = await Promise.all([windowsOf(comparison), addressees(), allInstances()]);
  const namespaces = new Map(instances.flatMap(({ service, namespace }) => (namespace === '' ? [] : [[service, namespace]])));
  const opened = new Set(openedGroups(open));
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
    const { chosen, rest } = await splitSides(windows, of, byOperation);
    return {
      windows,
      lit: { graph: finish(chosen.sums.traffic()), requests: chosen.requests, read: chosen.requests },
      before: { graph: finish(rest.sums.traffic()), requests: rest.requests, read: rest.requests },
      litPerBefore: rest.requests === 0 ? 1 : Math.max(chosen.requests, 1) / rest.requests,
      namespaces,
    };
  }

  const side = async (window: Window): Promise<Side & { readonly handled: Traffic['handled'] }> => {
    const { traffic, requests } = await mapTraffic(window, byOperation);
    return { graph: finish(traffic), requests, read: requests, handled: traffic.handled };
  };
  const [lit, before] = await Promise.all([side(windows.lit), side(windows.before)]);
  const counted = !isInRollups(windows.lit) ? { lit: lit.handled, before: before.handled } : undefined;
  return { windows, lit, before, litPerBefore, namespaces, counted };
}

interface Part {
  readonly sums: TrafficSums;
  requests: number;
}

/** The traffic of the slow or failed requests of the lit window, and of the rest of it. */
async function splitSides(
  windows: Sides['windows'],
  of: 'slow' | 'failed',
  byOperation: boolean,
): Promise<{ chosen: Part; rest: Part }> {
  const [usual, idOf] = await Promise.all([entryFigures(windows.before), operationIds()]);
  const bounds = new Map([...usual].map(([id, { sketch }]) => [id, quantiles(sketch, [0.95])[0] ?? Number.POSITIVE_INFINITY]));
  const chosen: Part = { sums: new TrafficSums(byOperation), requests: 0 };
  const rest: Part = { sums: new TrafficSums(byOperation), requests: 0 };
  const boundOf = new Map<string, number | undefined>();
  const isSlow = ({ entry, durationNs }: ReadRequest) => {
    if (!boundOf.has(entry)) boundOf.set(entry, bounds.get(idOf(readOperation(entry)) ?? -1));
    const bound = boundOf.get(entry);
    return bound !== undefined && durationNs > bound;
  };
  await eachRequestWithSpans(windows.lit, (request) => {
    const part = (of === 'failed' ? request.failed : isSlow(request)) ? chosen : rest;
    part.sums.add(request);
    part.requests++;
  });
  return { chosen, rest };
}

/** All traffic of a window, by service or by operation: from what was added up by the hour or minute, or, where conditions narrow it, from the
 * columns of all its requests. */
async function mapTraffic(window: Window, byOperation: boolean): Promise<{ traffic: Traffic; requests: number }> {
  if (isInRollups(window)) return byOperation ? operationTraffic(window.from, window.to) : rollupTraffic(window);
  const visits = await visitorRequests(window.from, window.to);
  const sums = new TrafficSums(byOperation);
  let requests = 0;
  await eachRequestWithSpans(window, (request) => {
    const visit = visits.get(request.traceId);
    sums.add(request, visit && { ...visit, failed: request.failed });
    requests++;
  });
  return { traffic: sums.traffic(), requests };
}

async function rollupTraffic({ from, to }: Window): Promise<{ traffic: Traffic; requests: number }> {
  const [traffic, requests] = await Promise.all([trafficBetween(from, to), requestCount(from, to)]);
  return { traffic, requests };
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

/** The traffic of a window with the traces that say more of it: from the rollups, or, of a narrowed scope, from a sample of its traces. */
export async function trafficIn(window: Window): Promise<WindowTraffic> {
  if (isInRollups(window)) {
    const { traffic, requests } = await rollupTraffic(window);
    return { traffic, traces: undefined, requests, read: requests };
  }
  const { total, traces: sampled } = await sampleTraces(window, MOST_TRACES, 'uniform');
  const traces = await assembled(sampled.map(({ spans }) => spans));
  const visits = await visitorRequests(window.from, window.to);
  const visitOf = (trace: Trace) => {
    const visit = visits.get(trace.traceId);
    return visit && { ...visit, failed: trace.nodes[trace.roots[0]].span.status === 'error' };
  };
  return { traffic: trafficOf(traces, false, visitOf), traces, visitOf, requests: total, read: traces.length };
}

/** The trees of some traces; those without a span are left out. */
export async function assembled(traces: readonly (readonly Span[])[]): Promise<Trace[]> {
  const trees = await yieldToEventLoop(traces, (spans) => assemble(spans));
  return trees.filter((trace) => trace !== undefined);
}
