import { attempts } from '../failures/attempts.ts';
import { isClientError } from '../failures/clientError.ts';
import { failureChains, failureRoles } from '../failures/failureRoles.ts';
import { farApart } from '../journeys/compare.ts';
import type { Trace } from '../trace/assemble.ts';
import { criticalPath, type PathSegment } from '../trace/criticalPath.ts';
import { peerName } from '../trace/peer.ts';
import { type TraceId, textAttribute } from '../trace/span.ts';
import type { TimeKind } from '../trace/timeKind.ts';
import { peerNode, placeOnMap } from './placeOnMap.ts';

/** A place starts what it has this much of. */
export const STARTS_SHARE = 0.2;

/** Where a failing request began to fail. */
export interface FailureStart {
  readonly traceId: TraceId;
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  /** The span that failed first: a position in `Trace.nodes`. */
  readonly span: number;
  /** Whether the answer blames the caller. */
  readonly clientError: boolean;
  /** Services that passed it on, from the bottom up. */
  readonly through: readonly string[];
  /** For how many failing requests it stands; 1 unless told. */
  readonly weight?: number;
}

/**
 * Where a request whose root failed began to fail: the origin whose failure reached the root, of several the one that failed last, since
 * the ones before were tried again. Undefined when the root did not fail.
 */
export function failureStart(trace: Trace): FailureStart | undefined {
  const root = trace.roots[0];
  const roles = failureRoles(trace);
  if (!roles[root]) return undefined;
  const chain = failureChains(trace, roles).findLast(({ spans }) => spans.includes(root));
  if (!chain) return undefined;
  const [first] = chain.spans;
  const { span } = trace.nodes[first];
  const node = chain.party === span.service ? span.service : peerNode(span);
  const through = new Set(chain.spans.map((at) => trace.nodes[at].span.service));
  through.delete(node);
  return {
    traceId: span.traceId,
    node,
    party: chain.party,
    span: first,
    clientError: isClientError(span),
    through: [...through],
  };
}

/** How many failing requests there are of how many, and a fair sample of where they began. */
export interface FailingRequests<Start extends FailureStart = FailureStart> {
  readonly requests: number;
  readonly failing: number;
  readonly starts: readonly Start[];
}

/** A place at which failures or waiting start. */
export interface Origin {
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  /** Of all that failed, or of all that was waited longer; 0 to 1. */
  readonly share: number;
  /** Requests that failed for it, or nanoseconds that were waited longer on it in all; as reckoned from the sample. */
  readonly amount: number;
  /** Whether it starts the trouble; else it only has a small part of it, or no more than before. */
  readonly starts: boolean;
  /** Traces of the sample that show it, those that show it best first. */
  readonly traces: readonly TraceId[];
  /** Services that pass on a notable part of it. */
  readonly through: readonly string[];
}

const MOST_SHOWN = 5;
/** A service passes trouble on when it does so with this part of it. */
const NOTABLE_PART = 0.1;

/** Where failures start, by place, the most of them first: those of the lit window, held against those before. */
export function failureOrigins(lit: FailingRequests, before: FailingRequests): Origin[] {
  const counts = byNode(lit.starts);
  const countsBefore = byNode(before.starts);
  const all = weightOf(lit.starts);
  const allBefore = weightOf(before.starts);
  return [...counts]
    .map(([node, starts]): Origin => {
      const share = weightOf(starts) / all;
      const amount = share * lit.failing;
      const then = allBefore === 0 ? 0 : weightOf(countsBefore.get(node) ?? []) / allBefore;
      const isMore = before.requests === 0 || farApart(amount, lit.requests, then * before.failing, before.requests);
      const passed = new Map<string, number>();
      for (const { through, weight = 1 } of starts) for (const service of through) add(passed, service, weight);
      return {
        node,
        party: starts[0].party,
        share,
        amount,
        starts: share >= STARTS_SHARE && isMore,
        traces: starts.slice(0, MOST_SHOWN).map(({ traceId }) => traceId),
        through: notable(passed, weightOf(starts)),
      };
    })
    .sort((a, b) => b.share - a.share || (a.party < b.party ? -1 : 1));
}

function byNode(starts: readonly FailureStart[]): Map<string, FailureStart[]> {
  const nodes = new Map<string, FailureStart[]>();
  for (const start of starts) {
    const known = nodes.get(start.node);
    if (known) known.push(start);
    else nodes.set(start.node, [start]);
  }
  return nodes;
}

function weightOf(starts: readonly FailureStart[]): number {
  return starts.reduce((sum, { weight = 1 }) => sum + weight, 0);
}

function notable(parts: ReadonlyMap<string, number>, whole: number): string[] {
  return [...parts].filter(([, part]) => part >= NOTABLE_PART * whole).map(([name]) => name);
}

/** Requests of one entry that got slower: how many came lit, and a fair sample of either side. */
export interface SlowerEntry {
  readonly litRequests: number;
  readonly lit: readonly Trace[];
  readonly before: readonly Trace[];
}

/** A place's part in the slowness, and on which of its hosts and instances, of which versions, in which way it is slow. */
export interface SlownessOrigin extends Origin {
  readonly kinds: readonly { readonly kind: TimeKind; readonly extraNs: number }[];
  /** The one host, instance or version that has nearly all of it, where the place has several. */
  readonly only: readonly { readonly what: 'host' | 'instance' | 'version'; readonly name: string; readonly share: number }[];
}

const ATTRIBUTES = [
  ['host', 'host.name'],
  ['instance', 'service.instance.id'],
  ['version', 'service.version'],
] as const;
/** One of several has all of a change when it has this much of it. */
const NEARLY_ALL = 0.75;

interface Extra {
  readonly party: string;
  ns: number;
  /** Of the lit traces: time that passed through each service on the way up. */
  readonly through: Map<string, number>;
  litNs: number;
  readonly kinds: Map<TimeKind, number>;
  /** Extra time, and time before, by what the resource says. */
  readonly of: Map<(typeof ATTRIBUTES)[number][0], Map<string, number>>;
  readonly traces: { readonly traceId: TraceId; readonly ns: number }[];
}

/**
 * Where waiting starts: which places' time on the critical path grew, over all requests of entries that got slower. The extra times of the
 * places sum to the difference of the mean durations times the requests.
 */
export function slownessOrigins(entries: readonly SlowerEntry[]): SlownessOrigin[] {
  const extras = new Map<string, Extra>();
  let total = 0;
  const book = (trace: Trace, weight: number) => {
    const own = new Map<string, number>();
    const pauses = pausesBeforeRetry(trace);
    for (const { node: at, start, end } of pauses.size === 0 ? criticalPath(trace) : cutAt(criticalPath(trace), pauses)) {
      const { node, party, kind } =
        pauses.get(at)?.find((pause) => start >= pause.start && end <= pause.end) ?? placeOnMap(trace, at);
      const ns = (end - start) * weight;
      let extra = extras.get(node);
      if (!extra) {
        const of = new Map(ATTRIBUTES.map(([what]) => [what, new Map<string, number>()]));
        extra = { party, ns: 0, litNs: 0, through: new Map(), kinds: new Map(), of, traces: [] };
        extras.set(node, extra);
      }
      extra.ns += ns;
      total += ns;
      add(extra.kinds, kind, ns);
      const { span } = trace.nodes[at];
      // Of a peer, only the caller's resource is known.
      if (span.service === party)
        for (const [what, key] of ATTRIBUTES) add(extra.of.get(what)!, textAttribute(span.resource, key) ?? '', ns);
      if (weight > 0) {
        extra.litNs += ns;
        for (const service of servicesAbove(trace, at)) if (service !== node) add(extra.through, service, ns);
      }
      add(own, node, end - start);
    }
    if (weight > 0) for (const [node, ns] of own) extras.get(node)!.traces.push({ traceId: trace.traceId, ns });
  };
  for (const { litRequests, lit, before } of entries) {
    if (lit.length === 0 || before.length === 0) continue;
    for (const trace of lit) book(trace, litRequests / lit.length);
    for (const trace of before) book(trace, -litRequests / before.length);
  }
  if (!(total > 0)) return [];
  return [...extras]
    .filter(([, { ns }]) => ns > 0)
    .map(([node, { party, ns, litNs, kinds, of, traces, through }]): SlownessOrigin => {
      const share = Math.min(1, ns / total);
      return {
        node,
        party,
        share,
        amount: ns,
        starts: share >= STARTS_SHARE,
        traces: traces
          .sort((a, b) => b.ns - a.ns)
          .slice(0, MOST_SHOWN)
          .map(({ traceId }) => traceId),
        through: notable(through, litNs),
        kinds: [...kinds]
          .map(([kind, extraNs]) => ({ kind, extraNs }))
          .filter(({ extraNs }) => extraNs > 0)
          .sort((a, b) => b.extraNs - a.extraNs),
        only: evidence(traces) < ENOUGH ? [] : ATTRIBUTES.flatMap(([what]) => onlyOne(what, of.get(what)!, ns)),
      };
    })
    .sort((a, b) => b.amount - a.amount);
}

interface Pause {
  readonly start: number;
  readonly end: number;
  readonly node: string;
  readonly party: string;
  readonly kind: TimeKind;
}

/** Time between a failed attempt and the next, which its caller waits for the one that failed it: by the calling node. */
function pausesBeforeRetry(trace: Trace): Map<number, Pause[]> {
  const pauses = new Map<number, Pause[]>();
  for (const { parent, tries } of attempts(trace))
    for (let at = 1; at < tries.length; at++) {
      const failed = trace.nodes[tries[at - 1]];
      if (failed.span.kind !== 'client') continue;
      const callee = failed.children.find((child) => trace.nodes[child].span.kind === 'server');
      const service = callee === undefined ? undefined : trace.nodes[callee].span.service;
      const pause = {
        start: failed.end,
        end: trace.nodes[tries[at]].start,
        node: service ?? peerNode(failed.span),
        party: service ?? peerName(failed.span.attributes),
        kind: 'remote' as const,
      };
      const known = pauses.get(parent);
      if (known) known.push(pause);
      else pauses.set(parent, [pause]);
    }
  return pauses;
}

/** The same path, its segments cut where a pause of theirs begins or ends. */
function cutAt(path: readonly PathSegment[], pauses: ReadonlyMap<number, readonly Pause[]>): PathSegment[] {
  return path.flatMap((segment) => {
    const { start, end } = segment;
    const edges = (pauses.get(segment.node) ?? []).flatMap((pause) => [pause.start, pause.end]);
    const cuts = [...new Set(edges.filter((at) => at > start && at < end))].sort((a, b) => a - b);
    return [start, ...cuts].map((from, at) => ({ ...segment, start: from, end: cuts[at] ?? end }));
  });
}

/** A machine on which several places got slower at once, and they only there. */
export interface SlowMachine {
  readonly name: string;
  /** Of all that was waited longer. */
  readonly share: number;
  /** Nodes of the map. */
  readonly nodes: readonly string[];
}

/** Places that got slower on one host each say nothing of themselves when all of those are one machine. */
const MACHINE_SHARE = 0.6;

/**
 * The machine that slowness has in common: at least two places have nearly all of theirs there, and these are most of it.
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

function servicesAbove({ nodes }: Trace, from: number): Set<string> {
  const found = new Set<string>();
  for (let at = from; at >= 0; at = nodes[at].parent) found.add(nodes[at].span.service);
  return found;
}

/** Of fewer requests that were slow it is by chance too often that nearly all of them were handled by one of some instances. */
const ENOUGH = 8;

/** How many requests of one size would say as much as these: a few very slow ones among many say little more than those few. */
function evidence(traces: readonly { readonly ns: number }[]): number {
  let sum = 0;
  let squares = 0;
  for (const { ns } of traces) {
    sum += ns;
    squares += ns * ns;
  }
  return squares === 0 ? 0 : (sum * sum) / squares;
}

function onlyOne(what: (typeof ATTRIBUTES)[number][0], extras: ReadonlyMap<string, number>, all: number): SlownessOrigin['only'] {
  if (extras.size < 2) return [];
  const [name, ns] = [...extras].reduce((most, it) => (it[1] > most[1] ? it : most));
  const share = ns / all;
  return name !== '' && share >= NEARLY_ALL ? [{ what, name, share: Math.min(1, share) }] : [];
}

function add<Key>(sums: Map<Key, number>, key: Key, value: number): void {
  sums.set(key, (sums.get(key) ?? 0) + value);
}
