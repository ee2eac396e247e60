import type { TimeKind } from '../../trace/time/timeKind.ts';
import { nodeName } from '../node.ts';
import type { MissedTime, Misses } from './cacheMisses.ts';
import { type CallRates, causesOf, type MoreCalls } from './moreCalls.ts';
import { addTo } from './origin.ts';
import type { PathPart } from './pathParts.ts';
import type { WayTime } from './slowWay.ts';

/*
 * Extra time by the node that it is put down to: first the one that spends it, then the one that causes it.
 */

export const RESOURCES = ['host', 'instance', 'version'] as const;
export type Resource = (typeof RESOURCES)[number];

/** What a node spends more, nanoseconds of the lit requests. */
export interface Extra {
  readonly party: string;
  ns: number;
  /** Of the lit requests: all, and what passed through each service on the way up. */
  litNs: number;
  readonly through: Map<string, number>;
  readonly kinds: Map<TimeKind, number>;
  readonly moreCalls: Map<string, MoreCalls>;
  /** By who asks. */
  readonly misses: Map<string, Misses>;
  /** Where what is put down to it is spent elsewhere: nanoseconds by node. */
  readonly spentBy: Map<string, number>;
  /** By what the resource says. */
  readonly of: Record<Resource, Map<string, number>>;
}

/** Time of a node under the same services, of one entry: nanoseconds of as many requests on either side. */
export interface Chain {
  readonly node: string;
  readonly above: readonly string[];
  litNs: number;
  beforeNs: number;
  readonly kinds: Map<TimeKind, number>;
}

function extraOf(extras: Map<string, Extra>, node: string, party: string): Extra {
  let extra = extras.get(node);
  if (!extra) {
    const of = { host: new Map(), instance: new Map(), version: new Map() };
    extra = {
      party,
      ns: 0,
      litNs: 0,
      through: new Map(),
      kinds: new Map(),
      moreCalls: new Map(),
      misses: new Map(),
      spentBy: new Map(),
      of,
    };
    extras.set(node, extra);
  }
  return extra;
}

export function addPart(
  extras: Map<string, Extra>,
  chains: Map<string, Chain>,
  part: PathPart,
  amount: number,
  isLit: boolean,
): void {
  const { node, party, kind, resource, above } = part;
  const ns = isLit ? amount : -amount;
  const extra = extraOf(extras, node, party);
  extra.ns += ns;
  addTo(extra.kinds, kind, ns);
  if (resource) for (const what of RESOURCES) addTo(extra.of[what], resource[what], ns);
  const key = chainKey(part);
  const chain = chains.get(key) ?? { node, above, litNs: 0, beforeNs: 0, kinds: new Map<TimeKind, number>() };
  chains.set(key, chain);
  chain[isLit ? 'litNs' : 'beforeNs'] += amount;
  addTo(chain.kinds, kind, ns);
  if (!isLit) return;
  extra.litNs += amount;
  for (const service of above) if (service !== node) addTo(extra.through, service, amount);
}

function chainKey({ node, above }: Pick<Chain, 'node' | 'above'>): string {
  return JSON.stringify([node, above]);
}

/** What comes of misses is taken from the node that does what they ask for, and given to the cache. */
export function moveToCache(extras: Map<string, Extra>, chains: ReadonlyMap<string, Chain>, missed: MissedTime): void {
  const { cache, asker, before, lit, node, above, kind, ns } = missed;
  const from = extras.get(node)!;
  const chain = chains.get(chainKey(missed))!;
  from.ns -= ns;
  chain.litNs -= ns;
  addTo(from.kinds, kind, -ns);
  addTo(chain.kinds, kind, -ns);
  const to = extraOf(extras, cache, nodeName(cache));
  to.ns += ns;
  to.litNs += ns;
  const known = to.misses.get(asker);
  addTo(to.spentBy, node, ns);
  to.misses.set(asker, { asker, before, lit, extraNs: (known?.extraNs ?? 0) + ns });
  const at = above.indexOf(asker);
  for (const service of at < 0 ? [] : above.slice(at)) addTo(to.through, service, ns);
}

/** What comes of more calls is taken from the node that is called, and given to the one that calls, or to the cache that answers it less. */
export function moveToCallers(extras: Map<string, Extra>, chain: Chain, rates: CallRates): void {
  const extraNs = chain.litNs - chain.beforeNs;
  if (extraNs <= 0) return;
  const called = extras.get(chain.node)!;
  for (const { node, caller, to, share, before, lit } of causesOf(chain, rates)) {
    const ns = extraNs * share;
    const extra = extraOf(extras, node, nodeName(node));
    called.ns -= ns;
    for (const [kind, ofKind] of chain.kinds) if (ofKind > 0) addTo(called.kinds, kind, -ofKind * share);
    extra.ns += ns;
    extra.litNs += ns;
    addTo(extra.spentBy, chain.node, ns);
    const known = extra.moreCalls.get(to);
    extra.moreCalls.set(to, { to, before, lit, extraNs: (known?.extraNs ?? 0) + ns, asker: node === caller ? null : caller });
    const at = chain.above.indexOf(caller);
    // What a cache leaves to others passes through the one that asks it.
    for (const service of chain.above.slice(node === caller ? at + 1 : at)) addTo(extra.through, service, ns);
  }
}

/** Ways between services, by both ends. */
export type Ways = Map<string, WayTime>;

export function addWay(ways: Ways, { party, to }: PathPart, amount: number, isLit: boolean): void {
  if (to === undefined) return;
  const key = JSON.stringify([party, to]);
  const way = ways.get(key) ?? { from: party, to, litNs: 0, beforeNs: 0 };
  ways.set(key, way);
  way[isLit ? 'litNs' : 'beforeNs'] += amount;
}

/** What a way takes longer is taken from the caller, and given to whom it leads to. */
export function moveToCallee(extras: Map<string, Extra>, { from, to, litNs, beforeNs }: WayTime): void {
  const caller = extras.get(from)!;
  // A part may have been put down to others already: those who call more often.
  const ns = Math.min(litNs - beforeNs, caller.kinds.get('gap') ?? 0);
  if (ns <= 0) return;
  const callee = extraOf(extras, to, to);
  caller.ns -= ns;
  addTo(caller.kinds, 'gap', -ns);
  callee.ns += ns;
  callee.litNs += ns;
  addTo(callee.kinds, 'gap', ns);
  addTo(callee.spentBy, from, ns);
  addTo(callee.through, from, ns);
}
