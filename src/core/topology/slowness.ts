import type { Trace } from '../trace/assemble.ts';
import type { TraceId } from '../trace/span.ts';
import type { TimeKind } from '../trace/timeKind.ts';
import { addTo, MOST_SHOWN, notable, type Origin, STARTS_SHARE } from './origin.ts';
import { type PathPart, pathParts } from './pathParts.ts';

/** A node's part in the slowness, and on which of its hosts and instances, of which versions, in which way it is slow. */
export interface SlownessOrigin extends Origin {
  readonly kinds: readonly { readonly kind: TimeKind; readonly extraNs: number }[];
  /** The one host, instance or version that has nearly all of it, where the node has several. */
  readonly only: readonly { readonly what: Resource; readonly name: string; readonly share: number }[];
}

const RESOURCES = ['host', 'instance', 'version'] as const;
type Resource = (typeof RESOURCES)[number];
/** One of several has all of a change when it has this much of it. */
const NEARLY_ALL = 0.75;
/** Of fewer requests that were slow it is by chance too often that nearly all of them were handled by one of some instances. */
const ENOUGH = 8;

/** Time on the critical path of some requests of one entry. */
interface Side {
  requests: number;
  /** By part, which is the same object for the same part. */
  readonly ns: Map<PathPart, number>;
}

/** What the lit requests show of a node. */
interface Shown {
  /** Sums of the time that each request spent there, and of its squares. */
  sum: number;
  squares: number;
  /** The requests that spent most time there. */
  readonly most: { readonly traceId: TraceId; readonly ns: number }[];
}

/**
 * Adds up the critical paths of the requests of entries that got slower, one request at a time. Memory grows with the different parts of
 * paths, not with the requests.
 */
export class SlownessSums {
  readonly #entries = new Map<string | number, { readonly lit: Side; readonly before: Side }>();
  readonly #shown = new Map<string, Shown>();

  /** @param parts one object for each different part, the same in all calls; with its nanoseconds */
  add(entry: string | number, side: 'lit' | 'before', traceId: TraceId, parts: Iterable<readonly [PathPart, number]>): void {
    let sides = this.#entries.get(entry);
    if (!sides) {
      sides = { lit: { requests: 0, ns: new Map() }, before: { requests: 0, ns: new Map() } };
      this.#entries.set(entry, sides);
    }
    const into = sides[side];
    into.requests++;
    const byNode = new Map<string, number>();
    for (const [part, ns] of parts) {
      addTo(into.ns, part, ns);
      if (side === 'lit') addTo(byNode, part.node, ns);
    }
    for (const [node, ns] of byNode) this.#show(node, traceId, ns);
  }

  #show(node: string, traceId: TraceId, ns: number): void {
    let shown = this.#shown.get(node);
    if (!shown) {
      shown = { sum: 0, squares: 0, most: [] };
      this.#shown.set(node, shown);
    }
    shown.sum += ns;
    shown.squares += ns * ns;
    const { most } = shown;
    if (most.length === MOST_SHOWN && most[MOST_SHOWN - 1].ns >= ns) return;
    most.push({ traceId, ns });
    most.sort((a, b) => b.ns - a.ns);
    if (most.length > MOST_SHOWN) most.pop();
  }

  /**
   * Where waiting starts: which nodes' time on the critical path grew, over all lit requests of the entries. The extra times of the nodes sum
   * to the difference of the mean durations times the requests.
   *
   * @param requestsOf how many lit requests an entry has, where those that were added are a sample of them
   */
  origins(requestsOf: (entry: string | number) => number | undefined = () => undefined): SlownessOrigin[] {
    const extras = new Map<string, Extra>();
    let total = 0;
    for (const [entry, { lit, before }] of this.#entries) {
      if (lit.requests === 0 || before.requests === 0) continue;
      const requests = requestsOf(entry) ?? lit.requests;
      for (const { side, weight } of [
        { side: lit, weight: requests / lit.requests },
        { side: before, weight: -requests / before.requests },
      ])
        for (const [part, ns] of side.ns) {
          total += ns * weight;
          addPart(extras, part, ns * weight);
        }
    }
    if (!(total > 0)) return [];
    return [...extras]
      .filter(([, { ns }]) => ns > 0)
      .map(([node, { party, ns, litNs, kinds, of, through }]): SlownessOrigin => {
        const share = Math.min(1, ns / total);
        const shown = this.#shown.get(node);
        return {
          node,
          party,
          share,
          amount: ns,
          starts: share >= STARTS_SHARE,
          traces: (shown?.most ?? []).map(({ traceId }) => traceId),
          through: notable(through, litNs),
          kinds: [...kinds]
            .map(([kind, extraNs]) => ({ kind, extraNs }))
            .filter(({ extraNs }) => extraNs > 0)
            .sort((a, b) => b.extraNs - a.extraNs),
          only: shown && evidence(shown) >= ENOUGH ? RESOURCES.flatMap((what) => onlyOne(what, of[what], ns)) : [],
        };
      })
      .sort((a, b) => b.amount - a.amount);
  }
}

interface Extra {
  readonly party: string;
  ns: number;
  /** Of the lit requests: all, and what passed through each service on the way up. */
  litNs: number;
  readonly through: Map<string, number>;
  readonly kinds: Map<TimeKind, number>;
  /** By what the resource says. */
  readonly of: Record<Resource, Map<string, number>>;
}

function addPart(extras: Map<string, Extra>, part: PathPart, ns: number): void {
  let extra = extras.get(part.node);
  if (!extra) {
    const of = { host: new Map(), instance: new Map(), version: new Map() };
    extra = { party: part.party, ns: 0, litNs: 0, through: new Map(), kinds: new Map(), of };
    extras.set(part.node, extra);
  }
  extra.ns += ns;
  addTo(extra.kinds, part.kind, ns);
  if (part.resource) for (const what of RESOURCES) addTo(extra.of[what], part.resource[what], ns);
  if (ns <= 0) return;
  extra.litNs += ns;
  for (const service of part.above) if (service !== part.node) addTo(extra.through, service, ns);
}

/** Requests of one entry that got slower: how many came lit, and traces of either side. */
export interface SlowerEntry {
  readonly litRequests: number;
  readonly lit: readonly Trace[];
  readonly before: readonly Trace[];
}

/** Where waiting starts, from traces of either side; see `SlownessSums.origins`. */
export function slownessOrigins(entries: readonly SlowerEntry[]): SlownessOrigin[] {
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
  return sums.origins((entry) => entries[entry as number].litRequests);
}

/** A machine on which several nodes got slower at once, and they only there. */
export interface SlowMachine {
  readonly name: string;
  /** Of all that was waited longer. */
  readonly share: number;
  /** Nodes of the map. */
  readonly nodes: readonly string[];
}

/** Nodes that got slower on one host each say nothing of themselves when all of those are one machine. */
const MACHINE_SHARE = 0.6;

/**
 * The machine that slowness has in common: at least two nodes have nearly all of theirs there, and these are most of it.
 *
 * @param machineOf the machine that a host stands on; itself when it is none
 */
export function slowMachine(origins: readonly SlownessOrigin[], machineOf: (host: string) => string): SlowMachine | undefined {
  const machines = new Map<string, { share: number; nodes: string[] }>();
  for (const { node, share, only } of origins) {
    const host = only.find((it) => it.what === 'host')?.name;
    if (host === undefined) continue;
    const machine = machines.get(machineOf(host)) ?? { share: 0, nodes: [] };
    machines.set(machineOf(host), machine);
    machine.share += share;
    machine.nodes.push(node);
  }
  const [most] = [...machines].filter(([, { nodes }]) => nodes.length >= 2).sort(([, a], [, b]) => b.share - a.share);
  if (!most || most[1].share < MACHINE_SHARE) return undefined;
  return { name: most[0], share: Math.min(1, most[1].share), nodes: most[1].nodes };
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
