import { randomLcg, randomLogNormal } from 'd3-random';
import {
  type Attributes,
  parseSpanId,
  parseTraceId,
  type Span,
  type SpanKind,
  type TraceId,
} from '../../../src/core/trace/span.ts';
import { EPOCH } from './traceMaker.ts';

/** Where a made-up system is ill, and how. */
export interface Fault {
  readonly what: 'slow' | 'fails';
  /** Id of a node of the map. */
  readonly node: string;
}

/** A made-up system's traces before a fault and with it, and what is true of them. */
export interface MadeSystem {
  readonly fault: Fault;
  readonly before: readonly Span[][];
  readonly lit: readonly Span[][];
  /** Requests that each service handled, and calls by "from > to", counted while they were made; both sides together. */
  readonly handled: ReadonlyMap<string, number>;
  readonly calls: ReadonlyMap<string, number>;
}

interface Part {
  readonly name: string;
  readonly id: string;
  readonly type: 'service' | 'database' | 'partner' | 'queue';
  /** What its callers call it by. */
  readonly address: string;
  /** Median of its own time, nanoseconds. */
  readonly own: number;
  /** Services that report themselves. */
  readonly calls: { readonly to: number; readonly times: number; readonly beside: boolean }[];
}

const MS = 1e6;

/**
 * A system drawn by lot: services in layers with calls that fan out, run beside each other, go round in a circle, reach databases that are
 * shared, partners that send no spans, and queues whose consumers begin traces of their own. One part of it is ill in the lit traces.
 */
export function madeSystem(seed: number, requests = 160): MadeSystem {
  const chance = randomLcg(seed);
  const below = (most: number) => Math.floor(chance() * most);
  const logNormal = randomLogNormal.source(chance)(0, 0.25);
  const parts = makeParts(below, chance);
  const services = parts.filter(({ type }) => type === 'service');
  const entries = services.slice(0, 2);
  const reached = reachedFrom(parts, parts.indexOf(entries[0]));
  const ill = [...reached].map((at) => parts[at]).filter((it) => it.type !== 'queue');
  const node = ill[below(ill.length)];
  const fault: Fault = { what: chance() < 0.5 ? 'slow' : 'fails', node: node.id };
  const handled = new Map<string, number>();
  const calls = new Map<string, number>();
  let ids = 0;

  const request = (isIll: boolean): Span[][] => {
    const traces: Span[][] = [];
    const own = begin();
    const entry = entries[below(entries.length)];
    serve(own, entry, null, EPOCH + BigInt(below(1e9)) * 1000n, 0);
    return traces;

    function begin() {
      const traceId = parseTraceId((ids++ + 1).toString(16).padStart(32, '0'))!;
      const spans: Span[] = [];
      traces.push(spans);
      return { traceId, spans };
    }

    /** Adds the span of a service that handles a request. @returns when it ends, and whether it failed */
    function serve(trace: { traceId: TraceId; spans: Span[] }, part: Part, parent: string | null, start: bigint, depth: number) {
      count(handled, part.name);
      const spanId = nextId();
      const factor = isIll && fault.what === 'slow' && part.id === fault.node ? 12 : 1;
      let now = start + nanos(part.own * logNormal() * factor * 0.5);
      let failed = false;
      let end = now;
      if (depth < 7)
        for (const { to, times, beside } of part.calls) {
          const callee = parts[to];
          for (let time = 0; time < times; time++) {
            const done = call(trace, part, callee, spanId, now, depth);
            failed ||= done.failed;
            if (done.end > end) end = done.end;
            if (!beside) now = done.end;
          }
        }
      if (end > now) now = end;
      now += nanos(part.own * logNormal() * factor * 0.5);
      if (isIll && fault.what === 'fails' && part.id === fault.node && chance() < 0.5) failed = true;
      put(trace, spanId, parent, part.name, 'server', `handle ${part.name}`, start, now, failed, {});
      return { end: now, failed };
    }

    function call(
      trace: { traceId: TraceId; spans: Span[] },
      from: Part,
      callee: Part,
      parent: string,
      start: bigint,
      depth: number,
    ): { end: bigint; failed: boolean } {
      count(calls, `${from.id} > ${callee.id}`);
      const spanId = nextId();
      const name = `call ${callee.name}`;
      if (callee.type === 'service') {
        const done = serve(trace, callee, spanId, start + nanos(0.2 * MS), depth + 1);
        const end = done.end + nanos(0.2 * MS);
        const code = done.failed ? 500 : 200;
        const attributes = { 'http.request.method': 'GET', 'server.address': callee.address, 'http.response.status_code': code };
        put(trace, spanId, parent, from.name, 'client', name, start, end, done.failed, attributes);
        return { end, failed: done.failed };
      }
      if (callee.type === 'queue') {
        const end = start + nanos(MS);
        const attributes = { 'messaging.system': 'pier', 'messaging.destination.name': callee.name };
        put(trace, spanId, parent, from.name, 'producer', `send ${callee.name}`, start, end, false, attributes);
        const taker = parts[callee.calls[0].to];
        const other = begin();
        count(calls, `${callee.id} > ${taker.id}`);
        count(handled, taker.name);
        const taken = end + nanos(20 * MS);
        put(
          other,
          nextId(),
          null,
          taker.name,
          'consumer',
          `process ${callee.name}`,
          taken,
          taken + nanos(taker.own),
          false,
          attributes,
        );
        return { end, failed: false };
      }
      const isHere = isIll && callee.id === fault.node;
      const slower = isHere && fault.what === 'slow' ? 12 : 1;
      const failed = isHere && fault.what === 'fails' && chance() < 0.5;
      const end = start + nanos(callee.own * logNormal() * slower);
      const attributes: Attributes =
        callee.type === 'database'
          ? { 'db.system.name': 'postgresql', 'server.address': callee.address }
          : { 'http.request.method': 'GET', 'server.address': callee.address, 'http.response.status_code': failed ? 503 : 200 };
      put(trace, spanId, parent, from.name, 'client', name, start, end, failed, attributes);
      return { end, failed };
    }
  };

  const side = (isIll: boolean) => Array.from({ length: requests }, () => request(isIll)).flat();
  const before = side(false);
  return { fault, before, lit: side(true), handled, calls };

  function nextId(): string {
    return (ids++ + 1).toString(16).padStart(16, '0');
  }
}

function makeParts(below: (most: number) => number, chance: () => number): Part[] {
  const count = 5 + below(10);
  const parts: Part[] = [];
  const add = (name: string, type: Part['type'], own: number, address = name) => {
    const id = type === 'database' || type === 'queue' ? `${type}:${name}` : name;
    parts.push({ name, id, type, address, own, calls: [] });
    return parts.length - 1;
  };
  for (let at = 0; at < count; at++) {
    const name = `part-${at}`;
    add(name, 'service', (3 + 12 * chance()) * MS, chance() < 0.4 ? `10.0.0.${at}` : name);
  }
  const databases = Array.from({ length: 1 + below(3) }, (_, at) => add(`store-${at}`, 'database', (4 + 6 * chance()) * MS));
  const partners = Array.from({ length: below(3) }, (_, at) =>
    add(`partner-${at}.example`, 'partner', (20 + 30 * chance()) * MS),
  );
  // Each but the first two is called by one of those before it, so that every one is reached.
  for (let at = 2; at < count; at++) {
    const calls = parts[below(Math.max(2, at - 1))].calls;
    calls.push({ to: at, times: chance() < 0.15 ? 3 : 1, beside: chance() < 0.25 });
  }
  for (let more = below(count); more > 0; more--) {
    const [from, to] = [below(count), below(count)];
    if (from < to && !parts[from].calls.some((it) => it.to === to)) parts[from].calls.push({ to, times: 1, beside: false });
  }
  for (let at = 0; at < count; at++) {
    if (chance() < 0.6) parts[at].calls.push({ to: databases[below(databases.length)], times: 1 + below(2), beside: false });
    if (partners.length > 0 && chance() < 0.25)
      parts[at].calls.push({ to: partners[below(partners.length)], times: 1, beside: false });
  }
  if (chance() < 0.3) {
    // Round in a circle: one that is called calls back, and the depth of calls ends it.
    const from = 2 + below(count - 2);
    const caller = parts.findIndex((it, at) => at < count && it.calls.some(({ to }) => to === from));
    if (caller >= 2) parts[from].calls.push({ to: caller, times: 1, beside: false });
  }
  if (chance() < 0.5) {
    const queue = add('queue-0', 'queue', MS);
    const taker = add('taker', 'service', 5 * MS);
    parts[queue].calls.push({ to: taker, times: 1, beside: false });
    parts[below(count)].calls.push({ to: queue, times: 1, beside: false });
  }
  return parts;
}

function reachedFrom(parts: readonly Part[], from: number): Set<number> {
  const seen = new Set([from]);
  for (const at of seen) if (parts[at].type !== 'queue') for (const { to } of parts[at].calls) seen.add(to);
  return seen;
}

function put(
  { traceId, spans }: { traceId: TraceId; spans: Span[] },
  spanId: string,
  parent: string | null,
  service: string,
  kind: SpanKind,
  name: string,
  start: bigint,
  end: bigint,
  failed: boolean,
  attributes: Attributes,
): void {
  spans.push({
    traceId,
    spanId: parseSpanId(spanId)!,
    parentSpanId: parent === null ? null : parseSpanId(parent)!,
    traceState: '',
    name,
    service,
    kind,
    start,
    end,
    status: failed ? 'error' : 'unset',
    statusMessage: '',
    attributes,
    resource: { 'service.name': service },
    scope: { name: 'made', version: '1' },
    events: [],
    links: [],
  });
}

function nanos(value: number): bigint {
  return BigInt(Math.round(value));
}

function count(counts: Map<string, number>, key: string): void {
  counts.set(key, (counts.get(key) ?? 0) + 1);
}
