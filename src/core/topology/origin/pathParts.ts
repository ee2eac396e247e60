import type { Trace } from '../../trace/assemble.ts';
import { type Attributes, textAttribute } from '../../trace/span.ts';
import { isServerSide } from '../../trace/synchronous.ts';
import { backoffs, withBackoffs } from '../../trace/time/backoff.ts';
import { criticalPath } from '../../trace/time/criticalPath.ts';
import type { TimeKind } from '../../trace/time/timeKind.ts';
import { placeOfBackoff, placeOnMap } from '../placeOnMap.ts';
import { type LookUp, lookUpsBefore } from './lookUp.ts';

/** What time on a critical path is put down to. */
export interface PathPart {
  /** Of the map, by id, and its name. */
  readonly node: string;
  readonly party: string;
  readonly kind: TimeKind;
  /** The name of the span whose time it is. */
  readonly operation: string;
  /** Where the node's own spans ran, '' where a span does not say; null for a peer, of which only the caller's resource is known. */
  readonly resource: { readonly host: string; readonly instance: string; readonly version: string } | null;
  /** Services on the way up to the root, that of the span itself first. */
  readonly above: readonly string[];
  /** Of a way between services: the one that is called. */
  readonly to?: string;
  /** The look-up in a cache that came before, where there was one that says what came of it. */
  readonly lookUp?: LookUp;
}

/**
 * The critical path of a request by what its time is put down to, in nanoseconds; each part once. They sum to the root's duration exactly.
 * Time between a failed attempt and the next is put down to the one who failed it.
 */
export function pathParts(trace: Trace): [PathPart, number][] {
  const path = withBackoffs(criticalPath(trace), backoffs(trace));
  const lookUpBefore = lookUpsBefore(trace);
  const found = new Map<string, [PathPart, number]>();
  for (const { node: at, start, end, backoff } of path) {
    if (end === start) continue;
    const { node, party, kind } = backoff ? placeOfBackoff(trace, backoff) : placeOnMap(trace, at);
    const { span } = trace.nodes[at];
    const resource = span.service === party ? resourceOf(span.resource) : null;
    const above = servicesAbove(trace, at);
    const operation = backoff ? trace.nodes[backoff.failed].span.name : span.name;
    const lookUp = lookUpBefore(at, start);
    const to = kind === 'gap' ? calleeOf(trace, at) : undefined;
    const part: PathPart = { node, party, kind, operation, resource, above, ...(to && { to }), ...(lookUp && { lookUp }) };
    const key = JSON.stringify(part);
    const known = found.get(key);
    if (known) known[1] += end - start;
    else found.set(key, [part, end - start]);
  }
  return [...found.values()];
}

/** The service that a call reached. */
function calleeOf({ nodes }: Trace, call: number): string | undefined {
  const child = nodes[call].children.find((it) => isServerSide(nodes[call], nodes[it]));
  return child === undefined ? undefined : nodes[child].span.service;
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
