import type { Trace } from '../../trace/assemble.ts';
import type { TraceId } from '../../trace/span.ts';
import type { TimeKind } from '../../trace/time/timeKind.ts';
import { type Misses, missedTime } from './cacheMisses.ts';
import {
  addPart,
  addWay,
  type Chain,
  type Extra,
  moveToCache,
  moveToCallee,
  moveToCallers,
  RESOURCES,
  type Resource,
  type Ways,
} from './extraTime.ts';
import { type CallRates, type MoreCalls, NO_RATES } from './moreCalls.ts';
import { MOST_SHOWN, notable, type Origin, STARTS_SHARE } from './origin.ts';
import { type PathPart, pathParts } from './pathParts.ts';
import { GROUPS, groupOf, ShareInterval } from './shareInterval.ts';
import { waysOfCallees } from './slowWay.ts';

/** A node's part in the slowness, and on which of its hosts and instances, of which versions, in which way it is slow. */
export interface SlownessOrigin extends Origin {
  /** The range that the share lies in nine times out of ten. */
  readonly shareRange: readonly [number, number];
  readonly kinds: readonly { readonly kind: TimeKind; readonly extraNs: number }[];
  /** Whom it asks more often for each of its requests than before, and what that costs. */
  readonly moreCalls: readonly MoreCalls[];
  /** Of a cache: who asks it for what it has less often than before. */
  readonly misses: readonly Misses[];
  /** The one host, instance or version that has nearly all of it, where the node has several. */
  readonly only: readonly { readonly what: Resource; readonly name: string; readonly share: number }[];
}

/** One of several has all of a change when it has this much of it. */
const NEARLY_ALL = 0.75;
/** Of fewer requests that were slow it is by chance too often that nearly all of them were handled by one of some instances. */
const ENOUGH = 8;

/** Time on the critical path of some requests of one entry. */
interface Side {
  requests: number;
  /** By part, which is the same object for the same part. */
  readonly parts: Map<PathPart, PartSum>;
  readonly nodes: Map<string, NodeSum>;
  readonly requestsOfGroups: Float64Array;
}

/** What one part takes of all requests. It holds the sum of its node: a part is looked up once a request. */
interface PartSum {
  ns: number;
  readonly node: NodeSum;
}

interface NodeSum {
  /** By group of requests, for intervals. */
  readonly groups: Float64Array;
  readonly shown: Shown;
  /** The request that was added last, by its number, and what it spent there. */
  last: number;
  lastNs: number;
}

/** What the requests of an entry show of a node. */
interface Shown {
  /** Sums of the time that each request spent there, and of its squares. */
  sum: number;
  squares: number;
  /** The requests that spent most time there. */
  readonly most: { readonly traceId: TraceId; readonly ns: number }[];
}

interface Entry {
  readonly lit: Side;
  readonly before: Side;
}

/** A request that is added; its id is asked for only where it is among the most telling. */
interface AddedRequest {
  readonly traceId: TraceId;
  /** @see groupOf */
  readonly group: number;
}

type EntryKey = string | number;

export interface OriginOptions {
  /** Entries that are looked at; all by default. */
  readonly entries?: ReadonlySet<EntryKey>;
  /** How many lit requests an entry has, where those that were added are a sample of them. */
  readonly requestsOf?: (entry: EntryKey) => number | undefined;
  /** How often a node was called for each request of its caller; undefined when that is not known. */
  readonly rates?: CallRates;
}

const newSide = (): Side => ({
  requests: 0,
  parts: new Map(),
  nodes: new Map(),
  requestsOfGroups: new Float64Array(GROUPS),
});

/**
 * Adds up the critical paths of the requests of entries that got slower, one request at a time. Memory grows with the different parts of
 * paths, not with the requests.
 */
export class SlownessSums {
  readonly #entries = new Map<EntryKey, Entry>();
  /** Nodes of the request that is being added. */
  readonly #touched: NodeSum[] = [];

  /** @param parts one object for each different part, the same in all calls; with its nanoseconds */
  add(key: EntryKey, side: 'lit' | 'before', traceId: TraceId, parts: Iterable<readonly [PathPart, number]>): void {
    this.addParts(key, side, { traceId, group: groupOf(traceId) }, (take) => {
      for (const [part, ns] of parts) take(part, ns);
    });
  }

  /** The same without a list: a day has a million parts. @param each hands over the parts one after the other */
  addParts(
    key: EntryKey,
    side: 'lit' | 'before',
    request: AddedRequest,
    each: (take: (part: PathPart, ns: number) => void) => void,
  ): void {
    let entry = this.#entries.get(key);
    if (!entry) {
      entry = { lit: newSide(), before: newSide() };
      this.#entries.set(key, entry);
    }
    const into = entry[side];
    const { group } = request;
    const number = ++into.requests;
    into.requestsOfGroups[group]++;
    const touched = this.#touched;
    touched.length = 0;
    each((part, ns) => {
      let sum = into.parts.get(part);
      if (!sum) {
        sum = { ns: 0, node: nodeSum(into, part.node) };
        into.parts.set(part, sum);
      }
      sum.ns += ns;
      const { node } = sum;
      node.groups[group] += ns;
      if (node.last !== number) {
        node.last = number;
        node.lastNs = 0;
        touched.push(node);
      }
      node.lastNs += ns;
    });
    if (side === 'lit') for (const node of touched) show(node.shown, request, node.lastNs);
  }

  /** Requests that were added of some entries. */
  requests(side: 'lit' | 'before', entries?: ReadonlySet<EntryKey>): number {
    let count = 0;
    for (const [key, entry] of this.#entries) if (!entries || entries.has(key)) count += entry[side].requests;
    return count;
  }

  /**
   * Where waiting starts: which nodes' time on the critical path grew, over all lit requests of the entries. The extra times of the nodes sum
   * to the difference of the mean durations times the requests. Where a node is called more often for each request of its caller, that
   * part of its extra time is the caller's; what is done where a cache misses more is the cache's; a way that is slow for all callers of a service is
   * that service's.
   */
  origins({ entries, requestsOf = () => undefined, rates = NO_RATES }: OriginOptions = {}): SlownessOrigin[] {
    const extras = new Map<string, Extra>();
    const shown = new Map<string, Shown>();
    const interval = new ShareInterval();
    const ways: Ways = new Map();
    let total = 0;
    for (const [key, entry] of this.#entries) {
      if (entries && !entries.has(key)) continue;
      const { lit, before } = entry;
      if (lit.requests === 0 || before.requests === 0) continue;
      const requests = requestsOf(key) ?? lit.requests;
      interval.add(lit.nodes, lit.requestsOfGroups, before.nodes, before.requestsOfGroups, requests);
      for (const [node, one] of lit.nodes) shown.set(node, merged(shown.get(node), one.shown));
      const chains = new Map<string, Chain>();
      const sides = {
        lit: { parts: lit.parts, weight: requests / lit.requests },
        before: { parts: before.parts, weight: requests / before.requests },
      };
      for (const { parts, weight } of [sides.lit, sides.before])
        for (const [part, { ns }] of parts) {
          const isLit = parts === lit.parts;
          const amount = ns * weight;
          total += isLit ? amount : -amount;
          addPart(extras, chains, part, amount, isLit);
          addWay(ways, part, amount, isLit);
        }
      for (const missed of missedTime(sides.lit, sides.before, rates)) moveToCache(extras, chains, missed);
      for (const chain of chains.values()) moveToCallers(extras, chain, rates);
    }
    for (const way of waysOfCallees([...ways.values()])) moveToCallee(extras, way);
    if (!(total > 0)) return [];
    return [...extras]
      .filter(([, { ns }]) => ns > 0)
      .map(([node, extra]): SlownessOrigin => {
        const { party, ns, litNs, kinds, of, through, moreCalls, misses } = extra;
        const share = Math.min(1, ns / total);
        const seen = shown.get(node);
        const spender = spenderOf(node, extra);
        return {
          node,
          party,
          share,
          shareRange: interval.around(spender, share),
          amount: ns,
          starts: share >= STARTS_SHARE,
          traces: (shown.get(spender)?.most ?? []).map(({ traceId }) => traceId),
          through: notable(through, litNs),
          kinds: [...kinds]
            .map(([kind, extraNs]) => ({ kind, extraNs }))
            .filter(({ extraNs }) => extraNs > 0)
            .sort((a, b) => b.extraNs - a.extraNs),
          moreCalls: [...moreCalls.values()].sort((a, b) => b.extraNs - a.extraNs),
          misses: [...misses.values()].sort((a, b) => b.extraNs - a.extraNs),
          only: seen && evidence(seen) >= ENOUGH ? RESOURCES.flatMap((what) => onlyOne(what, of[what], ns)) : [],
        };
      })
      .sort((a, b) => b.amount - a.amount);
  }
}

/** The node in whose time it shows best what is put down to one: itself, or who spends most of it. */
function spenderOf(node: string, { ns, spentBy }: Extra): string {
  let most = node;
  let mostNs = [...spentBy.values()].reduce((own, moved) => own - moved, ns);
  for (const [spender, spent] of spentBy)
    if (spent > mostNs) {
      most = spender;
      mostNs = spent;
    }
  return most;
}

function nodeSum({ nodes }: Side, node: string): NodeSum {
  let sum = nodes.get(node);
  if (!sum) {
    sum = { groups: new Float64Array(GROUPS), shown: { sum: 0, squares: 0, most: [] }, last: 0, lastNs: 0 };
    nodes.set(node, sum);
  }
  return sum;
}

function show(it: Shown, request: AddedRequest, ns: number): void {
  it.sum += ns;
  it.squares += ns * ns;
  const { most } = it;
  if (most.length === MOST_SHOWN && most[MOST_SHOWN - 1].ns >= ns) return;
  most.push({ traceId: request.traceId, ns });
  most.sort((a, b) => b.ns - a.ns);
  if (most.length > MOST_SHOWN) most.pop();
}

function merged(a: Shown | undefined, b: Shown): Shown {
  if (!a) return b;
  const most = [...a.most, ...b.most].sort((one, other) => other.ns - one.ns).slice(0, MOST_SHOWN);
  return { sum: a.sum + b.sum, squares: a.squares + b.squares, most };
}

/** Requests of one entry that got slower: how many came lit, and traces of either side. */
export interface SlowerEntry {
  readonly litRequests: number;
  readonly lit: readonly Trace[];
  readonly before: readonly Trace[];
}

/** Where waiting starts, from traces of either side; see `SlownessSums.origins`. */
export function slownessOrigins(entries: readonly SlowerEntry[], rates?: CallRates): SlownessOrigin[] {
  const sums = new SlownessSums();
  const known = new Map<string, PathPart>();
  const shared = (trace: Trace) =>
    pathParts(trace).map(([part, ns]): [PathPart, number] => {
      const key = JSON.stringify(part);
      const same = known.get(key) ?? part;
      known.set(key, same);
      return [same, ns];
    });
  for (const [entry, { lit, before }] of entries.entries()) {
    for (const trace of lit) sums.add(entry, 'lit', trace.traceId, shared(trace));
    for (const trace of before) sums.add(entry, 'before', trace.traceId, shared(trace));
  }
  return sums.origins({ requestsOf: (entry) => entries[entry as number].litRequests, rates });
}

/** How many requests of one size would say as much as these: a few very slow ones among many say little more than those few. */
function evidence({ sum, squares }: Shown): number {
  return squares === 0 ? 0 : (sum * sum) / squares;
}

function onlyOne(what: Resource, extras: ReadonlyMap<string, number>, all: number): SlownessOrigin['only'] {
  if (extras.size < 2) return [];
  const [name, ns] = [...extras].reduce((most, it) => (it[1] > most[1] ? it : most));
  const share = ns / all;
  return name !== '' && share >= NEARLY_ALL ? [{ what, name, share: Math.min(1, share) }] : [];
}
