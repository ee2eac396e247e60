import { gzipSync } from 'node:zlib';
import { type Context, context, SpanKind, SpanStatusCode, trace } from '@opentelemetry/api';
import { OTLPTraceExporter as JsonExporter } from '@opentelemetry/exporter-trace-otlp-http';
import { OTLPTraceExporter as ProtobufExporter } from '@opentelemetry/exporter-trace-otlp-proto';
import { resourceFromAttributes } from '@opentelemetry/resources';
import {
  BasicTracerProvider,
  BatchSpanProcessor,
  InMemorySpanExporter,
  type ReadableSpan,
  SimpleSpanProcessor,
} from '@opentelemetry/sdk-trace-base';
import pg from 'pg';
import protobuf from 'protobufjs/minimal.js';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { SPAN_KINDS, SPAN_STATUSES, type Span } from '../../../src/core/trace/span.ts';
import { type Installation, install, OLDEST_DAYS } from '../../support/installation.ts';
import { toOtlpJson } from '../../support/made/otlpJson.ts';
import { makeSpans, type Sketch } from '../../support/made/traceMaker.ts';
import { getJson, JSON_TYPE, PROTOBUF, post, sendSpans } from '../../support/sending.ts';

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk.stop());

const spanCount = async () => (await getJson(dusk.url, '/api/health')).spans as number;
let nextTrace = 1;
/** Spans of a trace that no other test has. */
const fresh = (...sketches: Sketch[]) => {
  const traceId = `f${(nextTrace++).toString(16).padStart(31, '0')}`;
  return makeSpans(...sketches).map((span) => ({ ...span, traceId: traceId as typeof span.traceId }));
};

describe('the real OpenTelemetry SDK', () => {
  it.each([
    ['protobuf', ProtobufExporter],
    ['JSON', JsonExporter],
  ])('sends in %s, and all of it is there', async (encoding, Exporter) => {
    const provider = new BasicTracerProvider({
      resource: resourceFromAttributes({ 'service.name': `sdk-${encoding}`, 'service.version': '1.2.3' }),
      spanProcessors: [new BatchSpanProcessor(new Exporter({ url: `${dusk.url}/v1/traces` }))],
    });
    const tracer = provider.getTracer('harbour-test', '0.4');
    const inside = (span: ReturnType<typeof tracer.startSpan>): Context => trace.setSpan(context.active(), span);
    const root = tracer.startSpan('POST /holds', {
      kind: SpanKind.SERVER,
      attributes: { 'http.route': '/holds', 'ferry.party_size': 4 },
    });
    const child = tracer.startSpan('layout.solve', { attributes: { ratio: 0.5, lanes: ['a', 'b'], done: true } }, inside(root));
    child.addEvent('started', { slot: 3 });
    child.recordException(new Error('no room'));
    child.setStatus({ code: SpanStatusCode.ERROR, message: 'no room' });
    child.addLink({ context: root.spanContext() });
    child.end();
    root.end();
    await provider.shutdown();

    const { traceId, spanId } = child.spanContext();
    const kept = await getJson(dusk.url, `/api/traces/${traceId}`);
    expect(
      kept.spans.map((span: { operation: string; kind: string; service: string }) => [span.service, span.operation, span.kind]),
    ).toEqual([
      [`sdk-${encoding}`, 'POST /holds', 'server'],
      [`sdk-${encoding}`, 'layout.solve', 'internal'],
    ]);
    expect(kept.spans[0].attributes).toEqual({ 'http.route': '/holds', 'ferry.party_size': 4 });
    expect(kept.spans[1]).toMatchObject({
      spanId,
      parentSpanId: root.spanContext().spanId,
      status: 'error',
      statusMessage: 'no room',
      attributes: { ratio: 0.5, lanes: ['a', 'b'], done: true },
      resource: { 'service.version': '1.2.3' },
      scope: { name: 'harbour-test', version: '0.4' },
      links: [{ traceId, spanId: root.spanContext().spanId }],
      origin: { role: 'origin', party: `sdk-${encoding}` },
    });
    expect(kept.spans[1].events.map((event: { name: string }) => event.name)).toEqual(['started', 'exception']);
  });
});

describe('the same spans, by the real SDK and by an encoder made by hand', () => {
  it('give the same rows', async () => {
    const finished = new InMemorySpanExporter();
    const provider = new BasicTracerProvider({
      resource: resourceFromAttributes({ 'service.name': 'twice', 'service.version': '1.2.3' }),
      spanProcessors: [
        new SimpleSpanProcessor(finished),
        new BatchSpanProcessor(new ProtobufExporter({ url: `${dusk.url}/v1/traces` })),
      ],
    });
    const tracer = provider.getTracer('harbour-test', '0.4');
    const root = tracer.startSpan('POST /holds', {
      kind: SpanKind.SERVER,
      attributes: { 'user.id': 'guest-7', size: 4, ratio: 0.5 },
    });
    const child = tracer.startSpan(
      'SELECT deck_slot',
      { kind: SpanKind.CLIENT, attributes: { 'db.system.name': 'postgresql', 'server.address': 'berths-db', lanes: ['a', 'b'] } },
      trace.setSpan(context.active(), root),
    );
    child.recordException(new Error('no room'));
    child.setStatus({ code: SpanStatusCode.ERROR, message: 'no room' });
    child.end();
    root.end();
    const spans = finished.getFinishedSpans();
    await provider.shutdown();

    const { traceId } = root.spanContext();
    const twin = (traceId.startsWith('f') ? 'e' : 'f') + traceId.slice(1);
    await sendSpans(
      dusk.url,
      spans.map((span) => byHand(span, twin)),
    );
    const ofTrace = async (id: string) => {
      const { traceId: _, ...rest } = await getJson(dusk.url, `/api/traces/${id}`);
      return rest;
    };
    expect(await ofTrace(twin)).toEqual(await ofTrace(traceId));
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    const rows = async (id: string) =>
      (
        await client.query(
          `SELECT day, start_ns, span_count, failed_span_count, operation_ids, root_found, root_start_ns, root_span_id, root_operation_id,
            root_failed, duration_ns, user_ref, session_ref FROM trace WHERE trace_id = $1`,
          [Buffer.from(id, 'hex')],
        )
      ).rows;
    expect(await rows(twin)).toEqual(await rows(traceId));
    expect((await rows(twin))[0]).toMatchObject({ span_count: 2, failed_span_count: 1, user_ref: 'guest-7' });
    const { rows: calls } = await client.query(
      `SELECT c.peer, c.protocol, sum(m.calls)::int AS calls, sum(m.failures)::int AS failures FROM call_minute m JOIN call c ON c.id = m.key_id
        WHERE c.service = 'twice' GROUP BY 1, 2`,
    );
    expect(calls).toEqual([{ peer: 'berths-db', protocol: 'postgresql', calls: 2, failures: 2 }]);
    await client.end();
  });

  /** A span of the SDK as one of ours, in another trace. */
  function byHand(span: ReadableSpan, traceId: string): Span {
    const ns = ([seconds, nanos]: [number, number]) => BigInt(seconds) * 1_000_000_000n + BigInt(nanos);
    return {
      traceId: traceId as Span['traceId'],
      spanId: span.spanContext().spanId as Span['spanId'],
      parentSpanId: (span.parentSpanContext?.spanId as Span['spanId'] | undefined) ?? null,
      traceState: '',
      name: span.name,
      service: 'twice',
      // The SDK counts its kinds from internal, OTLP from unspecified.
      kind: SPAN_KINDS[span.kind + 1],
      start: ns(span.startTime),
      end: ns(span.endTime),
      status: SPAN_STATUSES[span.status.code],
      statusMessage: span.status.message ?? '',
      attributes: span.attributes as Span['attributes'],
      resource: span.resource.attributes as Span['resource'],
      scope: { name: span.instrumentationScope.name, version: span.instrumentationScope.version ?? '' },
      events: span.events.map((event) => ({
        time: ns(event.time),
        name: event.name,
        attributes: (event.attributes ?? {}) as Span['attributes'],
      })),
      links: [],
    };
  }
});

describe('answers', () => {
  it('are empty in the encoding of the request when all was kept', async () => {
    const asProtobuf = await post(dusk.url, gzipSync(Buffer.alloc(0)), PROTOBUF, { 'content-encoding': 'gzip' });
    expect([asProtobuf.status, asProtobuf.headers.get('content-type'), (await asProtobuf.arrayBuffer()).byteLength]).toEqual([
      200,
      PROTOBUF,
      0,
    ]);
    const asJson = await post(
      dusk.url,
      JSON.stringify(toOtlpJson(fresh({ id: 0, from: 0, to: 5 }))),
      `${JSON_TYPE}; charset=utf-8`,
    );
    expect([asJson.status, asJson.headers.get('content-type'), await asJson.json()]).toEqual([200, JSON_TYPE, {}]);
  });

  it('say what was refused of a request whose good spans were kept', async () => {
    const body = toOtlpJson(fresh({ id: 0, from: 0, to: 5 }, { id: 1, from: 0, to: 5 }, { id: 2, from: 9, to: 5 }));
    const before = await spanCount();
    const answer = await post(dusk.url, JSON.stringify(body), JSON_TYPE);
    expect(answer.status).toBe(200);
    expect(await answer.json()).toEqual({
      partialSuccess: { rejectedSpans: '1', errorMessage: '1 × end time is before the start time' },
    });
    expect(await spanCount()).toBe(before + 2);
  });

  it('say it in protobuf too', async () => {
    const { encodeTracesProtobuf } = await import('../../../src/formats/otlp/span/encodeProtobuf.ts');
    const answer = await post(dusk.url, encodeTracesProtobuf(fresh({ id: 0, from: 9, to: 5 })), PROTOBUF);
    const reader = protobuf.Reader.create(new Uint8Array(await answer.arrayBuffer()));
    expect([reader.uint32(), reader.uint32() > 0, reader.uint32(), reader.uint32(), reader.uint32(), reader.string()]).toEqual([
      (1 << 3) | 2,
      true,
      1 << 3,
      1,
      (2 << 3) | 2,
      '1 × end time is before the start time',
    ]);
  });

  const bomb = gzipSync(Buffer.alloc(70 * 2 ** 20));
  it.each([
    ['cut-off protobuf', 400, PROTOBUF, Buffer.from([0x0a, 0x7f, 0x01]), {}],
    ['random bytes', 400, PROTOBUF, Buffer.from('this is not protobuf at all'), {}],
    ['cut-off JSON', 400, JSON_TYPE, '{"resourceSpans": [', {}],
    ['JSON of another shape', 400, JSON_TYPE, '{"resourceSpans": 5}', {}],
    ['JSON that is not UTF-8', 400, JSON_TYPE, Buffer.from([0x7b, 0xff, 0x7d]), {}],
    ['what says gzip and is not', 400, PROTOBUF, 'plain', { 'content-encoding': 'gzip' }],
    ['a body over the limit', 413, PROTOBUF, Buffer.alloc(8 * 2 ** 20 + 1), {}],
    ['a bomb', 413, PROTOBUF, bomb, { 'content-encoding': 'gzip' }],
    ['another type', 415, 'text/plain', 'x', {}],
    ['a form', 415, 'application/x-www-form-urlencoded', 'x=1', {}],
    ['another compression', 415, PROTOBUF, 'x', { 'content-encoding': 'zstd' }],
  ])('to %s are %d with a Status body', async (_, status, type, body, headers) => {
    const before = await spanCount();
    const answer = await post(dusk.url, body, type, headers);
    expect(answer.status).toBe(status);
    const expected = type === PROTOBUF ? PROTOBUF : JSON_TYPE;
    expect(answer.headers.get('content-type')).toBe(expected);
    const bytes = new Uint8Array(await answer.arrayBuffer());
    if (expected === JSON_TYPE)
      expect(JSON.parse(new TextDecoder().decode(bytes))).toMatchObject({
        code: expect.any(Number),
        message: expect.any(String),
      });
    else expect(protobuf.Reader.create(bytes).uint32()).toBe(1 << 3);
    expect(await spanCount()).toBe(before);
  });

  it('are none to other methods', async () => {
    const answer = await fetch(`${dusk.url}/v1/traces`);
    expect([answer.status, answer.headers.get('allow')]).toEqual([405, 'POST']);
  });
});

describe('what is kept', () => {
  it('is kept once, however often the same body comes', async () => {
    const spans = fresh({ id: 0, from: 0, to: 50 }, { id: 1, parent: 0, from: 5, to: 20, failed: true });
    for (let time = 0; time < 3; time++) await sendSpans(dusk.url, spans);
    await Promise.all([sendSpans(dusk.url, spans, { gzip: true }), sendSpans(dusk.url, spans)]);
    const { traces } = await getJson(dusk.url, `/api/traces?operation=work%201&limit=1000`);
    expect(traces.filter((it: { traceId: string }) => it.traceId === spans[0].traceId)).toMatchObject([
      { spanCount: 2, failedSpanCount: 1 },
    ]);
  });

  it('is kept once when spans come again in other company', async () => {
    const spans = fresh(
      { id: 0, from: 0, to: 50 },
      { id: 1, parent: 0, from: 5, to: 20 },
      { id: 2, parent: 0, from: 25, to: 40 },
    );
    const before = await spanCount();
    await sendSpans(dusk.url, spans.slice(0, 2));
    await sendSpans(dusk.url, [spans[2], spans[1], spans[1]]);
    await post(dusk.url, JSON.stringify(toOtlpJson(spans)), JSON_TYPE);
    expect(await spanCount()).toBe(before + 3);
    expect((await getJson(dusk.url, `/api/traces/${spans[0].traceId}`)).spans).toHaveLength(3);
  });

  it('is a whole summary when a trace comes in pieces, the root last', async () => {
    const spans = fresh(
      { id: 0, from: 10, to: 500, service: 'gangway', name: 'POST /holds', failed: true },
      { id: 1, parent: 0, from: 20, to: 90, service: 'holds' },
      { id: 2, parent: 1, from: 0, to: 40, service: 'berths', failed: true },
    );
    for (const span of [...spans].reverse()) await sendSpans(dusk.url, [span]);
    const { traces } = await getJson(dusk.url, '/api/traces?entry=POST%20/holds&limit=1000');
    expect(traces.find((it: { traceId: string }) => it.traceId === spans[0].traceId)).toEqual({
      traceId: spans[0].traceId,
      start: '2026-05-02T14:02:00.000000000Z',
      durationNs: 490,
      service: 'gangway',
      operation: 'POST /holds',
      spanCount: 3,
      failedSpanCount: 2,
      failed: true,
      services: ['gangway', 'berths', 'holds'],
    });
  });

  it('is right when many senders send parts of the same traces at once', async () => {
    const requests = Array.from({ length: 40 }, () =>
      fresh(...Array.from({ length: 12 }, (_, id) => ({ id, parent: id === 0 ? undefined : 0, from: id, to: 100 - id }))),
    );
    const before = await spanCount();
    const senders = Array.from({ length: 12 }, (_, part) =>
      sendSpans(
        dusk.url,
        requests.map((spans) => spans[part]),
      ),
    );
    await Promise.all(senders);
    expect(await spanCount()).toBe(before + 40 * 12);
    for (const spans of requests.slice(0, 5))
      expect((await getJson(dusk.url, `/api/traces/${spans[0].traceId}`)).spans).toHaveLength(12);
  });

  it('does not stretch the kept time over decades for a clock that is off', async () => {
    const now = BigInt(Date.now()) * 1_000_000n;
    const at = (start: bigint) => ({ ...fresh({ id: 0, from: 0, to: 5 })[0], start, end: start + 5n });
    await sendSpans(dusk.url, [at(5n), at(now), at(now + 10n ** 18n)]);
    const { kept, buckets } = await getJson(dusk.url, '/api/requests/series');
    expect(Date.parse(kept.from)).toBeGreaterThan(Date.now() - (OLDEST_DAYS + 1) * 86_400_000);
    expect(Date.parse(kept.to)).toBe(Number(now / 1_000_000n));
    expect(buckets.length).toBeLessThan(410);
    // They are kept apart, but not lost.
    expect((await getJson(dusk.url, '/api/traces?to=1970-01-01T00:01Z')).total).toBe(0);
    expect((await getJson(dusk.url, '/api/traces?clockOutOfRange=true')).total).toBe(2);
    expect((await getJson(dusk.url, '/api/traces?clockOutOfRange=true&to=1970-01-01T00:01Z')).total).toBe(1);
  });

  it('is text, whatever it looks like', async () => {
    const hostile = "'); DROP TABLE span; --";
    const markup = '<script>document.title="taken"</script>';
    const span = {
      ...fresh({ id: 0, from: 0, to: 5, service: markup })[0],
      name: hostile,
      statusMessage: 'tab\tline\nback\\slash\0nul',
      attributes: { [hostile]: markup, '\\N': '\\.', quote: '"', '': 'no key' },
    };
    await sendSpans(dusk.url, [span]);
    const kept = await getJson(dusk.url, `/api/traces/${span.traceId}`);
    expect(kept.spans[0]).toMatchObject({
      operation: hostile,
      service: markup,
      statusMessage: 'tab\tline\nback\\slash\uFFFDnul',
      attributes: span.attributes,
    });
    const page = await (await fetch(`${dusk.url}/traces/${span.traceId}`)).text();
    expect(page).not.toContain(markup);
  });

  it('is whole, also an attribute and a name of a million characters', async () => {
    const long = 'x'.repeat(2 ** 20);
    const span = { ...fresh({ id: 0, from: 0, to: 5 })[0], name: long, attributes: { long } };
    await sendSpans(dusk.url, [span]);
    const kept = await getJson(dusk.url, `/api/traces/${span.traceId}`);
    expect([kept.spans[0].operation.length, kept.spans[0].attributes.long.length]).toEqual([2 ** 20, 2 ** 20]);
  });

  it('is all of a request of very many traces', async () => {
    const spans = Array.from({ length: 7000 }, () => fresh({ id: 0, from: 0, to: 5 })[0]);
    const before = await spanCount();
    await sendSpans(dusk.url, spans);
    expect(await spanCount()).toBe(before + 7000);
  });
});

it('a page from elsewhere cannot reach in by pointing its name here', async () => {
  const { request } = await import('node:http');
  const status = await new Promise((resolve) => {
    request(`${dusk.url}/api/health`, { headers: { host: 'dusk.elsewhere.example' } }, (answer) =>
      resolve(answer.resume().statusCode),
    ).end();
  });
  expect(status).toBe(421);
});

it('has logged no error of its own through all of this', () => {
  expect(dusk.log()).not.toMatch(/Error|error/);
});
