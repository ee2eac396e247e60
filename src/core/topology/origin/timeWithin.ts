import type { Trace } from '../../trace/assemble.ts';
import type { Nanos } from '../../trace/span.ts';
import { backoffs, withBackoffs } from '../../trace/time/backoff.ts';
import { pathWithin } from '../../trace/time/criticalPath.ts';
import { type TimeKind, timeKind } from '../../trace/time/timeKind.ts';
import { placeOfBackoff } from '../placeOnMap.ts';

/** What a service's requests spend their time on: a kind of its own time, or waiting for a service that it calls. */
export interface TimeLine {
  readonly kind: TimeKind | 'below';
  /** The service itself, or whom it calls. */
  readonly party: string;
  readonly ns: Nanos;
}

/** Time of requests that places handled: how many there were, and on what the time went; the lines sum to the whole of it. */
export interface PartyTime {
  requests: number;
  ns: Nanos;
  readonly lines: Map<string, { kind: TimeLine['kind']; party: string; ns: number }>;
}

/**
 * Adds up where the time of the requests went that each service handled in a trace: the critical path within each of its server and consumer
 * spans, or of what began in it. Of a service, time that is spent in another is waiting for the one that it calls, whoever that one waits for.
 *
 * @param weight for how many requests the trace stands
 */
export function addTimeWithin(sums: Map<string, PartyTime>, trace: Trace, weight = 1): void {
  const { nodes } = trace;
  const pauses = backoffs(trace);
  for (const [index, { span, parent, start, end }] of nodes.entries()) {
    const isHandling = span.kind === 'server' || span.kind === 'consumer' || span.parentSpanId === null;
    if (!isHandling || end <= start) continue;
    // A call of a service to itself is a part of the request that it began in.
    if (parent >= 0 && span.kind === 'server' && isWithin(trace, parent, span.service)) continue;
    let sum = sums.get(span.service);
    if (!sum) {
      sum = { requests: 0, ns: 0, lines: new Map() };
      sums.set(span.service, sum);
    }
    sum.requests += weight;
    for (const segment of withBackoffs(pathWithin(trace, { node: index, from: start, to: end }), pauses)) {
      const ns = (segment.end - segment.start) * weight;
      const isOwn = nodes[segment.node].span.service === span.service;
      const { party, kind } =
        segment.backoff && isOwn ? placeOfBackoff(trace, segment.backoff) : lineOf(trace, segment.node, index);
      const line = { party, kind };
      const key = `${line.kind}\0${line.party}`;
      const known = sum.lines.get(key) ?? { ...line, ns: 0 };
      sum.lines.set(key, known);
      known.ns += ns;
      sum.ns += ns;
    }
  }
}

function isWithin({ nodes }: Trace, from: number, service: string): boolean {
  for (let at = from; at >= 0; at = nodes[at].parent) if (nodes[at].span.service === service) return true;
  return false;
}

function lineOf(trace: Trace, node: number, handling: number): Omit<TimeLine, 'ns'> {
  const { service } = trace.nodes[handling].span;
  const own = trace.nodes[node].span.service;
  if (own === service && calleeOf(trace, node, handling) === undefined) return timeKind(trace, node);
  return { kind: 'below', party: calleeOf(trace, node, handling) ?? own };
}

/** The first other service on the way down to a node; undefined when all of it is the handling service's own. */
function calleeOf({ nodes }: Trace, node: number, handling: number): string | undefined {
  const { service } = nodes[handling].span;
  let away: string | undefined;
  for (let at = node; at !== handling && at >= 0; at = nodes[at].parent)
    if (nodes[at].span.service !== service) away = nodes[at].span.service;
  return away;
}
