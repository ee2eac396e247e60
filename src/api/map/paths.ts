import type { OperationKey } from '../../core/requests/requestRow.ts';
import { condition } from '../../core/scope/condition.ts';
import { graphOf } from '../../core/topology/graph.ts';
import { type CallRates, NO_RATES } from '../../core/topology/origin/moreCalls.ts';
import type { PathPart } from '../../core/topology/origin/pathParts.ts';
import { GROUPS } from '../../core/topology/origin/shareInterval.ts';
import { SlownessSums } from '../../core/topology/origin/slowness.ts';
import { TrafficSums } from '../../core/topology/traffic.ts';
import { eachPath, type PathRequest } from '../../store/requests/requestPaths.ts';
import { eachRequestWithSpans, lookUpsOf } from '../../store/requests/requestTraffic.ts';
import { addressees } from '../../store/rollups/traffic.ts';
import { sampledWaits } from '../../store/traces/sampledWaits.ts';
import type { Window } from '../comparison.ts';

/*
 * Where the time of requests went, on both sides, for every page that says where waiting starts.
 */

export type Side = 'lit' | 'before';

/**
 * Adds up the critical paths of the requests of both windows that went well.
 *
 * @param keyOf what a request is added under, by its entry; undefined leaves it out
 * @param visit called for every request
 */
export async function sumPaths(
  windows: Readonly<Record<Side, Window>>,
  keyOf: (entry: OperationKey) => string | number | undefined,
  visit: (side: Side, request: PathRequest) => void,
): Promise<SlownessSums> {
  const sums = new SlownessSums();
  const groups = new Map<OperationKey, string | number | undefined>();
  for (const side of ['lit', 'before'] as const) {
    const window = windows[side];
    const waits = await sampledWaits(window.from, window.to);
    const kinds = new Map<string, PathPart>();
    await eachPath(window, (request) => {
      visit(side, request);
      if (!groups.has(request.entry)) groups.set(request.entry, keyOf(request.entry));
      const group = groups.get(request.entry);
      // Harm counts the waiting of those that went well; those that failed are looked at by where they failed.
      if (group === undefined || request.failed) return;
      if (waits.mayHave(request.idStart)) sums.add(group, side, request.traceId, split(request, waits, kinds));
      else sums.addParts(group, side, request, (take) => request.eachPart(take));
    });
  }
  return sums;
}

/** The parts of a request's path, with the time of databases taken apart by what their sessions were seen waiting for. */
function split(
  request: PathRequest,
  waits: Awaited<ReturnType<typeof sampledWaits>>,
  known: Map<string, PathPart>,
): [PathPart, number][] {
  const { traceId } = request;
  const parts: [PathPart, number][] = [];
  request.eachPart((part, ns) => void parts.push([part, ns]));
  if (!parts.some(([{ kind, party }]) => kind === 'db' && waits.of(traceId, party))) return parts;
  const ofKind = (part: PathPart, kind: 'lock' | 'io'): PathPart => {
    // The same object for the same part, as it is added up by.
    const key = JSON.stringify([kind, part.node, part.above, part.lookUp]);
    const same = known.get(key) ?? { ...part, kind };
    known.set(key, same);
    return same;
  };
  return parts.flatMap(([part, ns]): [PathPart, number][] => {
    const wait = part.kind === 'db' ? waits.of(traceId, part.party) : undefined;
    if (!wait) return [[part, ns]];
    const lock = Math.floor(ns * wait.lock);
    const io = Math.floor(ns * wait.io);
    return [
      [ofKind(part, 'lock'), lock],
      [ofKind(part, 'io'), io],
      [part, ns - lock - io],
    ];
  });
}

/** Of longer windows a part of the requests is read to see how often they call: as many as of so many hours. */
const HOURS_READ = 3;
const HOUR_NS = 3_600_000_000_000n;

/** How often nodes of the map are called for each request of their callers, in the requests of some entries. */
export async function callsPerRequest(windows: Readonly<Record<Side, Window>>, entries: readonly string[]): Promise<CallRates> {
  if (entries.length === 0) return NO_RATES;
  const addressee = await addressees();
  const caches = new Set<string>();
  const rates = async (window: Window) => {
    const sums = new TrafficSums();
    const hours = Number((window.to - window.from) / HOUR_NS);
    const groups = Math.max(1, Math.floor((GROUPS * HOURS_READ) / Math.max(HOURS_READ, hours)));
    const where = [...(window.where ?? []), condition('entry', 'is', ...new Set(entries))];
    await eachRequestWithSpans({ ...window, where }, (request) => sums.add(request), groups);
    const lookUps = await lookUpsOf({ ...window, where });
    const { nodes, edges } = graphOf(sums.traffic(), addressee);
    const handled = new Map(nodes.map(({ id, figures }) => [id, figures.calls]));
    const calls = new Map<string, number>();
    for (const { from, to, caller } of edges) calls.set(`${from}\0${to}`, (calls.get(`${from}\0${to}`) ?? 0) + caller.calls);
    for (const { id, kind } of nodes) if (kind === 'cache') caches.add(id);
    const of = (caller: string, callee: string) => {
      const requests = handled.get(caller);
      return requests ? (calls.get(`${caller}\0${callee}`) ?? 0) / requests : undefined;
    };
    return { of, lookUps };
  };
  const [lit, before] = [await rates(windows.lit), await rates(windows.before)];
  return {
    counts: (caller, callee) => {
      const [now, then] = [lit.of(caller, callee), before.of(caller, callee)];
      return now === undefined || then === undefined ? undefined : { lit: now, before: then };
    },
    caches: (caller) => [...caches].filter((it) => (lit.of(caller, it) ?? 0) > 0),
    lookUps: (asker, cache) => ({ lit: lit.lookUps.of(asker, cache), before: before.lookUps.of(asker, cache) }),
  };
}
