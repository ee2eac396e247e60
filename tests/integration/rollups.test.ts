import { gzipSync } from 'node:zlib';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Span, TraceId } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { type EntryBucket, entryBuckets } from '../../src/store/rollups/harmSeries.ts';
import { mergeMinutes } from '../../src/store/rollups/mergeMinutes.ts';
import { figuresOverTime } from '../../src/store/rollups/operationFigures.ts';
import { type Installation, install } from '../support/installation.ts';
import { toOtlpJson } from '../support/made/otlpJson.ts';
import { randomFrom } from '../support/made/random.ts';
import { idOf, makeSpan } from '../support/made/traceMaker.ts';
import { JSON_TYPE, PROTOBUF, post, sendSpans } from '../support/sending.ts';

/*
 * All that is summed up while spans come in, worked out a second time from the spans themselves: requests of every size from several senders at
 * once, in both encodings, with spans that come again in other company, over a midnight.
 */

const SEED = 20_261_127;
const TRACES = 160;
const MINUTE_NS = 60_000_000_000n;
/** OpenTelemetry's numbers. */
const KIND = { internal: 1, server: 2, client: 3, producer: 4, consumer: 5 } as const;

const { below, oneOf, shuffled } = randomFrom(SEED);

const MIDNIGHT = (BigInt(Math.floor(Date.now() / 86_400_000)) - 1n) * 86_400_000_000_000n;

/** A trace of calls from service to service: of each call the caller's span, and of most the callee's, of a few two. */
function traceOf(number: number): Span[] {
  const traceId = (number + 1).toString(16).padStart(32, 'c') as TraceId;
  const start = MIDNIGHT + BigInt(below(20) - 10) * MINUTE_NS + BigInt(below(60_000)) * 1_000_000n;
  const spans: Span[] = [];
  const add = (parent: number | undefined, kind: keyof typeof KIND, service: string, attributes: Span['attributes'] = {}) => {
    const id = spans.length;
    const from = below(2_000_000_000);
    const status = below(5) === 0 ? oneOf([404, 503, 401]) : 200;
    const span = makeSpan({
      id,
      parent,
      kind,
      service,
      name: `${oneOf(['place', 'find'])} ${service}`,
      from: 0,
      to: 0,
      failed: status !== 200 && below(4) > 0,
      attributes: { 'http.response.status_code': status, ...attributes },
    });
    const resource = { ...span.resource, 'service.instance.id': `${service}-${below(2)}` };
    const at = start + BigInt(from);
    spans.push({ ...span, traceId, resource, start: at, end: at + BigInt(1 + below(3_000_000_000)) });
    return id;
  };
  const root = add(undefined, 'server', 'gateway', below(3) === 0 ? { 'user.id': `guest-${below(9)}` } : {});
  for (let calls = 1 + below(6); calls > 0; calls--) {
    const callee = oneOf(['holds', 'berths', 'fares']);
    const parent = oneOf([root, below(spans.length)]);
    const caller = add(parent, oneOf(['client', 'client', 'producer'] as const), 'gateway', {
      'peer.service': callee,
      'ferry.route': oneOf(['tern-marram', 'osier-reach']),
    });
    for (let answers = oneOf([0, 1, 1, 1, 1, 2]); answers > 0; answers--) add(caller, 'server', callee);
  }
  if (below(4) === 0) add(root, 'internal', 'gateway');
  return spans;
}

const traces = Array.from({ length: TRACES }, (_, number) => traceOf(number));
const spans = traces.flat();

let dusk: Installation;
let client: pg.Client;
beforeAll(async () => {
  dusk = await install();
  client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  const mixed = shuffled(spans);
  const bodies: Span[][] = [];
  for (let at = 0; at < mixed.length; ) {
    const size = oneOf([1, 3, 20, 60]);
    bodies.push([...mixed.slice(at, at + size), ...Array.from({ length: below(4) }, () => oneOf(mixed))]);
    at += size;
  }
  let next = 0;
  const sender = async (number: number) => {
    for (let at = next++; at < bodies.length; at = next++) {
      const protobuf = encodeTracesProtobuf(bodies[at]);
      const answer =
        number === 0
          ? await post(dusk.url, JSON.stringify(toOtlpJson(bodies[at])), JSON_TYPE)
          : number === 1
            ? await post(dusk.url, gzipSync(protobuf), PROTOBUF, { 'content-encoding': 'gzip' })
            : await post(dusk.url, protobuf, PROTOBUF);
      expect(answer.status).toBe(200);
      if (below(10) === 0) expect((await post(dusk.url, protobuf, PROTOBUF)).status).toBe(200);
    }
  };
  await Promise.all(Array.from({ length: 6 }, (_, number) => sender(number)));
});
afterAll(async () => {
  await client.end();
  await closeConnections();
  await dusk.stop();
});

/** Counts and durations, by what they are of. */
class Sums {
  readonly #sums = new Map<string, { calls: number; failures: number; clientErrors: number; ok: bigint; failed: bigint }>();

  add(key: readonly (string | number | boolean | bigint)[], span: Span): void {
    const name = key.join(' | ');
    const sum = this.#sums.get(name) ?? { calls: 0, failures: 0, clientErrors: 0, ok: 0n, failed: 0n };
    this.#sums.set(name, sum);
    sum.calls++;
    if (span.status === 'error') {
      sum.failures++;
      // 503 never blames the caller, 404 always, 401 who comes from outside alone.
      const code = span.attributes['http.response.status_code'];
      if (code === 404 || (code === 401 && span.kind !== 'client')) sum.clientErrors++;
      sum.failed += span.end - span.start;
    } else sum.ok += span.end - span.start;
  }

  get lines(): string[] {
    return [...this.#sums]
      .map(([name, it]) => [name, it.calls, it.failures, it.clientErrors, it.ok, it.failed].join(' | '))
      .sort();
  }
}

/** What the store says, in the same way. @param key SQL of what the rows are of, apart from the minute @param dictionary joined as d */
async function stored(table: string, dictionary: string, key: string): Promise<string[]> {
  const { rows } = await client.query({
    text: `SELECT concat_ws(' | ', ${key}, m.minute, sum(calls), sum(failures), sum(client_errors), sum(ok_ns), sum(failed_ns)) AS line
      FROM ${table} m JOIN ${dictionary} d ON d.id = m.key_id GROUP BY ${key}, m.minute`,
  });
  return rows.map(({ line }) => line as string).sort();
}

const minute = (span: Span) => span.start / MINUTE_NS;

function expectedOperations(): string[] {
  const sums = new Sums();
  for (const span of spans) {
    const key = [span.service, span.name, KIND[span.kind as keyof typeof KIND], span.parentSpanId === null ? 't' : 'f'];
    sums.add([...key, minute(span)], span);
  }
  return sums.lines;
}

const PEER = (span: Span) => String(span.attributes['peer.service']);
const isCall = (span: Span) => span.kind === 'client' || span.kind === 'producer';

function expectedLinks(): string[] {
  const sums = new Sums();
  for (const trace of traces)
    for (const caller of trace.filter(isCall)) {
      const callees = trace.filter(({ kind, parentSpanId }) => kind === 'server' && parentSpanId === caller.spanId);
      callees.forEach((callee, at) => {
        const key = [caller.service, PEER(caller), KIND[caller.kind as keyof typeof KIND], callee.service];
        sums.add([...key, at === 0 ? 'caller' : 'again', minute(caller)], caller);
        sums.add([...key, 'callee', minute(caller)], callee);
      });
    }
  return sums.lines;
}

function expectedInstances(): string[] {
  const sums = new Sums();
  for (const span of spans)
    if (span.parentSpanId === null || span.kind === 'server')
      sums.add([span.service, String(span.resource['service.instance.id']), minute(span)], span);
  return sums.lines;
}

const OPERATIONS = ['operation_minute', 'operation', 'd.service, d.name, d.kind, m.entry'] as const;
const CALLS = ['call_minute', 'call', 'd.service, d.peer, d.kind'] as const;
const LINKS = [
  'call_edge_minute',
  '(SELECT call_edge.id, call.service AS caller, call.peer, call.kind, call_edge.service, call_edge.side FROM call_edge JOIN call ON call.id = call_edge.call_id)',
  'd.caller, d.peer, d.kind, d.service, d.side',
] as const;
const INSTANCES = ['instance_minute', 'instance', 'd.service, d.instance'] as const;

function expectedCalls(): string[] {
  const sums = new Sums();
  for (const span of spans.filter(isCall))
    sums.add([span.service, PEER(span), KIND[span.kind as keyof typeof KIND], minute(span)], span);
  return sums.lines;
}

describe('what spans come to', () => {
  it('is every span once', async () => {
    expect(new Set(spans.map(({ traceId, spanId }) => traceId + spanId)).size).toBe(spans.length);
    const { rows } = await client.query('SELECT sum(records)::int AS records FROM span_block');
    expect(rows).toEqual([{ records: spans.length }]);
  });

  it.each<[string, readonly [string, string, string], () => string[]]>([
    ['operations', OPERATIONS, expectedOperations],
    ['calls', CALLS, expectedCalls],
    ['calls by who took them', LINKS, expectedLinks],
    ['instances', INSTANCES, expectedInstances],
  ])('is counted by %s and minute, also when minutes were brought together', async (_, [table, dictionary, key], expected) => {
    expect(await stored(table, dictionary, key)).toEqual(expected());
    process.env.DATABASE_URL = dusk.cluster.url;
    await mergeMinutes(() => true);
    expect(await stored(table, dictionary, key)).toEqual(expected());
    const { rows } = await client.query(
      `SELECT count(*)::int AS rows, count(DISTINCT (day, minute, key_id, entry))::int AS distinct FROM ${table}`,
    );
    expect(rows[0].rows).toBe(rows[0].distinct);
  });

  it('is counted of all entries together', async () => {
    const { rows } = await client.query(
      'SELECT minute, sum(calls)::int AS calls FROM operation_minute WHERE key_id = 0 GROUP BY 1 ORDER BY 1',
    );
    const counts = new Map<number, number>();
    for (const [root] of traces) counts.set(Number(minute(root)), (counts.get(Number(minute(root))) ?? 0) + 1);
    expect(rows).toEqual([...counts].sort(([a], [b]) => a - b).map(([at, calls]) => ({ minute: at, calls })));
  });

  it('is a row for each trace', async () => {
    const { rows } =
      await client.query(`SELECT encode(t.trace_id, 'hex') AS id, start_ns::text AS start, span_count AS spans, failed_span_count AS failed,
        encode(root_span_id, 'hex') AS root, root_found AS found, root_failed AS "rootFailed", duration_ns::text AS duration, user_ref AS guest,
        (SELECT array_agg(o.service || ' ' || o.name || ' ' || o.kind) FROM operation o WHERE o.id = ANY (operation_ids)) AS operations,
        (SELECT array_agg(f.key || ' ' || f.value) FROM facet f WHERE f.id = ANY (facet_ids)) AS facets
      FROM trace t`);
    expect(rows).toHaveLength(traces.length);
    const byId = new Map(rows.map((row) => [row.id, row]));
    for (const trace of traces) {
      const [root] = trace;
      const { operations, facets, ...row } = byId.get(root.traceId)!;
      expect(row).toEqual({
        id: root.traceId,
        start: String(trace.map(({ start }) => start).reduce((a, b) => (b < a ? b : a))),
        spans: trace.length,
        failed: trace.filter(({ status }) => status === 'error').length,
        root: idOf(0),
        found: true,
        rootFailed: root.status === 'error',
        duration: String(root.end - root.start),
        guest: root.attributes['user.id'] ?? null,
      });
      const distinct = (texts: readonly string[]) => [...new Set(texts)].sort();
      expect([...operations].sort()).toEqual(
        distinct(trace.map((it) => `${it.service} ${it.name} ${KIND[it.kind as keyof typeof KIND]}`)),
      );
      const told = trace.flatMap(({ attributes, resource }) => Object.entries({ ...attributes, ...resource }));
      expect([...facets].sort()).toEqual(
        distinct(told.filter(([key]) => key !== 'user.id').map(([key, value]) => `${key} ${value}`)),
      );
    }
  });
});

describe('requests over hours', () => {
  const HOUR_NS = 60n * MINUTE_NS;
  const [from, to] = [MIDNIGHT - 30n * HOUR_NS - 7n * MINUTE_NS, MIDNIGHT + 3n * HOUR_NS + 11n * MINUTE_NS];

  /** Calls, failures and the time of those that went well, by the minute at which their step begins. */
  function stepsOf(roots: readonly Span[], stepMinutes: number): string[] {
    const steps = new Map<number, { calls: number; failures: number; okNs: number }>();
    for (const root of roots) {
      const at = Math.floor(Number(minute(root)) / stepMinutes) * stepMinutes;
      const step = steps.get(at) ?? { calls: 0, failures: 0, okNs: 0 };
      steps.set(at, step);
      step.calls++;
      if (root.status === 'error') step.failures++;
      else step.okNs += Number(root.end - root.start);
    }
    return [...steps].sort(([a], [b]) => a - b).map(([at, it]) => `${at * 60_000}: ${it.calls}, ${it.failures}, ${it.okNs}`);
  }
  const lines = (steps: readonly { at: number; calls: number; failures: number; okNs: number }[]) =>
    [...steps].sort((a, b) => a.at - b.at).map((it) => `${it.at}: ${it.calls}, ${it.failures}, ${it.okNs}`);
  /** Stretches of one entry after the other, as one. */
  const together = (buckets: readonly EntryBucket[]) => {
    const steps = new Map<number, { at: number; calls: number; failures: number; okNs: number }>();
    for (const it of buckets) {
      const step = steps.get(it.at) ?? { at: it.at, calls: 0, failures: 0, okNs: 0 };
      steps.set(it.at, step);
      step.calls += it.calls;
      step.failures += it.failures;
      step.okNs += it.okNs;
    }
    return [...steps.values()];
  };

  it('are those of their minutes whatever the step, and stay right when some come later', async () => {
    process.env.DATABASE_URL = dusk.cluster.url;
    const roots = Array.from(traces, ([root]) => root);
    const check = async () => {
      for (const step of [1, 5, 7, 60, 120, 1440]) {
        expect(lines(await figuresOverTime('entries', from, to, step, [0.95]))).toEqual(stepsOf(roots, step));
        expect(lines(together(await entryBuckets(from, to - 1n, step * 60_000)))).toEqual(stepsOf(roots, step));
      }
    };
    await check();
    const late = Array.from({ length: 30 }, (_, at) => {
      const start = MIDNIGHT - BigInt(at) * HOUR_NS - 20n * MINUTE_NS;
      const span = makeSpan({
        id: 0,
        kind: 'server',
        service: 'gateway',
        name: 'come later',
        from: 0,
        to: 0,
        failed: at % 3 === 0,
      });
      return { ...span, traceId: at.toString(16).padStart(32, 'e') as TraceId, start, end: start + BigInt(at + 1) * 1_000_000n };
    });
    await sendSpans(dusk.url, late);
    roots.push(...late);
    await check();
  });
});
