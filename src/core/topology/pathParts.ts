import { attempts } from '../failures/attempts.ts';
import type { Trace } from '../trace/assemble.ts';
import { criticalPath, type PathSegment } from '../trace/criticalPath.ts';
import { peerName } from '../trace/peer.ts';
import { type Attributes, textAttribute } from '../trace/span.ts';
import type { TimeKind } from '../trace/timeKind.ts';
import { peerNode, placeOnMap } from './placeOnMap.ts';

/** What time on a critical path is put down to. */
export interface PathPart {
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  readonly kind: TimeKind;
  /** Where the node's own spans ran, '' where a span does not say; null for a peer, of which only the caller's resource is known. */
  readonly resource: { readonly host: string; readonly instance: string; readonly version: string } | null;
  /** Services on the way up to the root, that of the span itself first. */
  readonly above: readonly string[];
}

/**
 * The critical path of a request by what its time is put down to, in nanoseconds; each part once. They sum to the root's duration exactly.
 * Time between a failed attempt and the next is put down to the one who failed it.
 */
export function pathParts(trace: Trace): [PathPart, number][] {
  const pauses = pausesBeforeRetry(trace);
  const path = pauses.size === 0 ? criticalPath(trace) : cutAt(criticalPath(trace), pauses);
  const found = new Map<string, [PathPart, number]>();
  for (const { node: at, start, end } of path) {
    if (end === start) continue;
    const { node, party, kind } =
      pauses.get(at)?.find((pause) => start >= pause.start && end <= pause.end) ?? placeOnMap(trace, at);
    const { span } = trace.nodes[at];
    const resource = span.service === party ? resourceOf(span.resource) : null;
    const above = servicesAbove(trace, at);
    const key = JSON.stringify([node, party, kind, resource, above]);
    const known = found.get(key);
    if (known) known[1] += end - start;
    else found.set(key, [{ node, party, kind, resource, above }, end - start]);
  }
  return [...found.values()];
}

function resourceOf(resource: Attributes): NonNullable<PathPart['resource']> {
  const text = (key: string) => textAttribute(resource, key) ?? '';
  return { host: text('host.name'), instance: text('service.instance.id'), version: text('service.version') };
}

function servicesAbove({ nodes }: Trace, from: number): string[] {
  const found = new Set<string>();
  for (let at = from; at >= 0; at = nodes[at].parent) found.add(nodes[at].span.service);
  return [...found];
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
