import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { formatIso } from '../../src/core/time/iso.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { type Installation, install } from '../support/installation.ts';
import { toOtlpJson } from '../support/otlpJson.ts';
import { recount } from '../support/recount.ts';
import { getJson, sendSpans } from '../support/sending.ts';

const END = Date.parse('2026-05-02T15:00:00Z');
const spans = simulateDay({ endMs: END, hours: 1.5, seed: 11, scale: 0.4 });
const byTrace = new Map<string, Span[]>();
for (const span of spans) byTrace.set(span.traceId, [...(byTrace.get(span.traceId) ?? []), span]);

/** What the list should know of each trace, worked out from the spans alone. */
const expected = [...byTrace.values()].map((of) => {
  const before = (a: Span, b: Span) => (a.start < b.start || (a.start === b.start && a.spanId < b.spanId) ? -1 : 1);
  const root = of.filter((span) => !span.parentSpanId).sort(before)[0] ?? [...of].sort(before)[0];
  const first = of.reduce((least, span) => (span.start < least ? span.start : least), root.start);
  return {
    traceId: root.traceId as string,
    start: formatIso(first),
    durationNs: Number(root.end - root.start),
    service: root.service,
    operation: root.name,
    spanCount: of.length,
    failedSpanCount: of.filter((span) => span.status === 'error').length,
    spans: of,
  };
});
type Expected = (typeof expected)[number];

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000), { gzip: true });
});
afterAll(() => dusk.stop());

const list = (query: string) => getJson(dusk.url, `/api/traces?${query}`);

async function allPages(query: string): Promise<string[]> {
  const ids: string[] = [];
  let cursor: string | null = '';
  do {
    const page: { traces: { traceId: string }[]; nextCursor: string | null } = await list(
      `${query}&limit=150${cursor && `&cursor=${cursor}`}`,
    );
    for (const it of page.traces) ids.push(it.traceId);
    cursor = page.nextCursor;
  } while (cursor);
  return ids;
}

describe('health', () => {
  it('counts what was sent', async () => {
    expect(await getJson(dusk.url, '/api/health')).toEqual({
      status: 'ok',
      version: '0.1.0',
      database: 'up',
      spans: spans.length,
    });
  });
});

describe('the list of traces', () => {
  it('gives every trace once, longest first, over all pages', async () => {
    const sorted = [...expected].sort((a, b) => b.durationNs - a.durationNs || (a.traceId < b.traceId ? 1 : -1));
    expect(await allPages('sort=-duration')).toEqual(sorted.map((it) => it.traceId));
  });

  it('gives the newest first', async () => {
    const sorted = [...expected].sort((a, b) =>
      a.start === b.start ? (a.traceId < b.traceId ? 1 : -1) : a.start < b.start ? 1 : -1,
    );
    expect(await allPages('sort=-start')).toEqual(sorted.map((it) => it.traceId));
  });

  it('knows of each trace what its spans say', async () => {
    const { traces } = await list('limit=200');
    for (const { failed: _, services, ...rest } of traces) {
      const { spans: of, ...known } = expected.find((it) => it.traceId === rest.traceId)!;
      expect(rest).toEqual(known);
      expect(new Set(services)).toEqual(new Set(of.map((span) => span.service)));
      expect(services[0]).toBe(known.service);
    }
  });

  const through = (test: (span: Span) => boolean) => (it: Expected) => it.spans.some(test);
  const middle = formatIso(BigInt(END - 45 * 60_000) * 1_000_000n);
  it.each<[string, (it: Expected) => boolean]>([
    ['service=berths', through((span) => span.service === 'berths')],
    ['operation=INSERT%20reservation', through((span) => span.name === 'INSERT reservation')],
    ['service=holds&operation=acquire%20connection', () => false],
    [
      'service=sailings&operation=acquire%20connection',
      through((span) => span.service === 'sailings' && span.name === 'acquire connection'),
    ],
    ['entry=POST%20/holds', (it) => it.operation === 'POST /holds'],
    ['minDurationMs=1000', (it) => it.durationNs >= 1e9],
    ['minDurationMs=40.5&maxDurationMs=45', (it) => it.durationNs >= 40.5e6 && it.durationNs <= 45e6],
    ['failed=true', (it) => it.failedSpanCount > 0],
    ['failed=false&minDurationMs=100', (it) => it.failedSpanCount === 0 && it.durationNs >= 1e8],
    [`from=${middle}`, (it) => it.start >= middle],
    [`to=${middle}&service=accounts`, (it) => it.start < middle && it.spans.some((span) => span.service === 'accounts')],
  ])('narrowed by %s is what a count of the spans gives', async (query, test) => {
    const wanted = expected.filter(test).map((it) => it.traceId);
    expect((await allPages(query)).sort()).toEqual(wanted.sort());
    expect((await list(`${query}&limit=1`)).total).toBe(wanted.length);
  });

  it.each([
    ['maxDurationMs=1e300', expected.length],
    ['minDurationMs=1e300', 0],
    ['from=9999-01-01T00:00:00Z', 0],
    ['to=9999-01-01T00:00:00Z', expected.length],
    ['to=0001-01-01T00:00:00Z', 0],
    ['from=0001-01-01T00:00:00Z', expected.length],
    ['service=%00', 0],
    ['entry=%00&operation=%00', 0],
  ])('takes %s, beyond what the store can hold, for what it means', async (query, count) => {
    expect((await list(query)).total).toBe(count);
    expect((await getJson(dusk.url, `/api/traces/overview?${query}`)).count).toBe(count);
    expect((await fetch(`${dusk.url}/api/requests/series?${query}`)).status).toBe(200);
    expect((await fetch(`${dusk.url}/traces?${query}&last=999999999999h`)).status).toBe(200);
  });

  it.each([
    ['minDurationMs=fast', 'minDurationMs'],
    ['minDurationMs=-1', 'minDurationMs'],
    ['failed=perhaps', 'failed'],
    ['from=yesterday', 'from'],
    ['from=2026-05-02T15:00:00Z&to=2026-05-02T14:00:00Z', 'to'],
    ['sort=duration', 'sort'],
    ['limit=0', 'limit'],
    ['limit=100000', 'limit'],
    ['cursor=nonsense', 'cursor'],
    [`cursor=${Buffer.from(`-duration ${'9'.repeat(19)} ${'a'.repeat(32)}`).toString('base64url')}`, 'cursor'],
    ['servce=berths', 'servce'],
    ["service='%3B%20DROP%20TABLE%20trace%3B--&limit=x", 'limit'],
  ])('answers %s with what is wrong', async (query, named) => {
    const answer = await fetch(`${dusk.url}/api/traces?${query}`);
    expect(answer.status).toBe(400);
    expect((await answer.json()).error).toContain(named);
  });
});

describe('one trace', () => {
  it('has the numbers that a second computation from the same OTLP gives, to the nanosecond', async () => {
    const chosen = [...expected].sort((a, b) => b.durationNs - a.durationNs).filter((_, at) => at % 12 === 0 || at < 40);
    expect(chosen.length).toBeGreaterThan(250);
    for (const { traceId, spans: of } of chosen) {
      const kept = await getJson(dusk.url, `/api/traces/${traceId}`);
      const again = recount(toOtlpJson(of), traceId);
      expect(kept.durationNs).toBe(Number(again.durationNs));
      expect(kept.start).toBe(formatIso(again.start));
      expect(kept.spans).toHaveLength(of.length);
      for (const span of kept.spans) {
        expect(span.startNs).toBe(Number(again.startOf.get(span.spanId)));
        expect(span.selfNs).toBe(Number(again.self.get(span.spanId)));
        expect(span.origin?.role === 'origin' ? span.origin.place : undefined).toBe(again.origins.get(span.spanId));
      }
      expect(kept.criticalPath).toEqual(
        again.path.map(({ spanId, start, end }) => ({ spanId, startNs: Number(start), endNs: Number(end) })),
      );
      const lines = kept.ledger.map((it: { kind: string; place: string; durationNs: number }) => [
        `${it.kind} ${it.place}`,
        BigInt(it.durationNs),
      ]);
      expect(new Map(lines)).toEqual(again.ledger);
      expect(kept.ledger.reduce((sum: number, it: { share: number }) => sum + it.share, 0)).toBeCloseTo(1, 9);
    }
  });

  it('is the same drawn as told', async () => {
    const { traceId } = expected[100];
    const told = await getJson(dusk.url, `/api/traces/${traceId}`);
    const drawn = await getJson(dusk.url, `/api/traces/${traceId}/timeline`);
    expect(drawn.spans.id).toEqual(told.spans.map((span: { spanId: string }) => span.spanId));
    expect(drawn.spans.startNs).toEqual(told.spans.map((span: { startNs: number }) => span.startNs));
    expect(drawn.path.span.map((at: number) => drawn.spans.id[at])).toEqual(
      told.criticalPath.map((it: { spanId: string }) => it.spanId),
    );
    expect([drawn.ledger, drawn.durationNs]).toEqual([told.ledger, told.durationNs]);
    for (const [at, line] of drawn.lineOf.entries()) expect(line >= 0).toBe(drawn.path.span.includes(at));
    const details = await getJson(dusk.url, `/api/traces/${traceId}/spans/${drawn.spans.id[3]}`);
    expect(details).toMatchObject({
      operation: told.spans[3].operation,
      attributes: told.spans[3].attributes,
      resource: told.spans[3].resource,
    });
  });

  it('knows its place among its like', async () => {
    const holds = expected.filter(
      (it) => it.operation === 'POST /holds' && it.service === 'gangway' && it.spans.some((span) => !span.parentSpanId),
    );
    const it_ = holds[7];
    const like = await getJson(dusk.url, `/api/traces/${it_.traceId}/like?from=2026-05-02T00:00:00Z&to=2026-05-03T00:00:00Z`);
    expect([like.count, like.faster]).toEqual([
      holds.length - 1,
      holds.filter((other) => other.durationNs < it_.durationNs).length,
    ]);
    expect(like.durations.reduce((sum: number, bucket: { count: number }) => sum + bucket.count, 0)).toBe(like.count);
  });

  it.each([
    ['/api/traces/0af7651916cd43dd8448eb211c80319c', 404],
    ['/api/traces/0af7651916cd43dd8448eb211c80319c/timeline', 404],
    ['/api/traces/0af7651916cd43dd8448eb211c80319c/spans/b7ad6b7169203331', 404],
    ['/api/traces/nonsense', 400],
    [`/api/traces/${'0'.repeat(32)}`, 400],
    ['/api/traces/0af7651916cd43dd8448eb211c80319c/spans/1', 400],
    ['/api/nothing', 404],
  ])('%s answers %d', async (path, status) => {
    expect((await fetch(dusk.url + path)).status).toBe(status);
  });
});

describe('figures', () => {
  it('of an overview equal a count of the spans', async () => {
    const overview = await getJson(dusk.url, '/api/traces/overview?service=holds');
    const wanted = expected.filter((it) => it.spans.some((span) => span.service === 'holds'));
    const durations = wanted.map((it) => it.durationNs).sort((a, b) => a - b);
    const rank = (q: number) => durations[Math.ceil(q * durations.length) - 1];
    expect(overview).toMatchObject({
      count: wanted.length,
      failed: wanted.filter((it) => it.failedSpanCount > 0).length,
      p50Ns: rank(0.5),
      p95Ns: rank(0.95),
      p99Ns: rank(0.99),
      maxNs: durations.at(-1),
    });
    expect(overview.durations.reduce((sum: number, bucket: { count: number }) => sum + bucket.count, 0)).toBe(wanted.length);
    const berths = overview.services.find((it: { name: string }) => it.name === 'berths');
    expect(berths.count).toBe(wanted.filter((it) => it.spans.some((span) => span.service === 'berths')).length);
  });

  // A trace that has lost its root is no request.
  const roots = spans.filter((span) => !span.parentSpanId);
  const inMinute = (at: number, of: readonly Span[]) =>
    of.filter((span) => Math.floor(Number(span.start / 60_000_000_000n)) === at / 60_000);
  const p95 = (of: readonly Span[]) => {
    const durations = of.map((span) => Number(span.end - span.start)).sort((a, b) => a - b);
    return durations[Math.ceil(0.95 * durations.length) - 1];
  };
  type Bucket = { at: number; count: number; failed: number; p95Ns: number };

  it('over time add up to the whole, p95 right to 2.2 %', async () => {
    const series = await getJson(dusk.url, '/api/requests/series');
    expect(series.stepMs).toBe(60_000);
    expect(series.buckets.reduce((sum: number, bucket: Bucket) => sum + bucket.count, 0)).toBe(roots.length);
    for (const bucket of series.buckets as Bucket[]) {
      const within = inMinute(bucket.at, roots);
      expect([bucket.count, bucket.failed]).toEqual([within.length, within.filter((span) => span.status === 'error').length]);
      expect(Math.abs(bucket.p95Ns / p95(within) - 1)).toBeLessThan(0.022);
    }
  });

  it('over time are exact when narrowed', async () => {
    const series = await getJson(dusk.url, '/api/requests/series?entry=POST%20/holds');
    const wanted = roots.filter((span) => span.name === 'POST /holds');
    expect(series.buckets.reduce((sum: number, bucket: Bucket) => sum + bucket.count, 0)).toBe(wanted.length);
    for (const bucket of series.buckets as Bucket[]) expect(bucket.p95Ns).toBe(p95(inMinute(bucket.at, wanted)));
  });

  const byOperation = new Map<string, Span[]>();
  for (const span of spans) {
    const key = `${span.service} ${span.kind} ${span.name}`;
    byOperation.set(key, [...(byOperation.get(key) ?? []), span]);
  }

  it('of operations are what a count of the spans gives', async () => {
    const { operations } = await getJson(dusk.url, `/api/operations?from=2026-05-02T00:00:00Z&to=2026-05-03T00:00:00Z`);
    expect(operations).toHaveLength(byOperation.size);
    for (const it of operations) {
      const of = byOperation.get(`${it.service} ${it.kind} ${it.operation}`)!;
      const well = of.filter((span) => span.status !== 'error').map((span) => Number(span.end - span.start));
      expect([it.calls, it.failures]).toEqual([of.length, of.length - well.length]);
      if (well.length > 0) expect(it.meanNs).toBeCloseTo(well.reduce((sum, ns) => sum + ns, 0) / well.length, 3);
      else expect(it.meanNs).toBeNull();
      expect(Math.abs(it.p95Ns / p95(of) - 1)).toBeLessThan(0.022);
    }
    const totals = operations.map((it: { totalNs: number }) => it.totalNs);
    expect(totals).toEqual([...totals].sort((a: number, b: number) => b - a));
  });

  it('of one operation by the minute are too', async () => {
    const { operations } = await getJson(dusk.url, `/api/operations?from=2026-05-02T00:00:00Z&to=2026-05-03T00:00:00Z`);
    const { id, service, kind, operation } = operations[0];
    const { buckets } = await getJson(
      dusk.url,
      `/api/operations/${id}/series?from=2026-05-02T14:00:00Z&to=2026-05-02T14:30:00Z&stepMinutes=5`,
    );
    const of = byOperation.get(`${service} ${kind} ${operation}`)!;
    const within = (at: number) =>
      of.filter((span) => Number(span.start / 1_000_000n) >= at && Number(span.start / 1_000_000n) < at + 300_000);
    expect(buckets.map((it: { at: number }) => it.at)).toEqual(
      [0, 5, 10, 15, 20, 25].map((minute) => Date.UTC(2026, 4, 2, 14, minute)),
    );
    for (const it of buckets) expect(it.calls).toBe(within(it.at).length);
  });
});

it('describes itself, every path with its parameters', async () => {
  const described = await getJson(dusk.url, '/api/openapi.json');
  expect(Object.keys(described.paths)).toEqual([
    '/api/health',
    '/api/traces',
    '/api/traces/overview',
    '/api/traces/{traceId}',
    '/api/traces/{traceId}/timeline',
    '/api/traces/{traceId}/spans/{spanId}',
    '/api/traces/{traceId}/like',
    '/api/requests/series',
    '/api/operations',
    '/api/operations/{id}/series',
    '/api/intake',
    '/api/intake/senders',
    '/api/intake/masking',
    '/api/intake/filling',
    '/api/intake/masking/preview',
    '/api/export/{signal}',
    '/v1/traces',
    '/v1/logs',
    '/v1/metrics',
    '/v1development/profiles',
  ]);
  const { parameters, responses } = described.paths['/api/traces'].get;
  expect(parameters.map((it: { name: string }) => it.name)).toEqual([
    'from',
    'to',
    'service',
    'operation',
    'entry',
    'minDurationMs',
    'maxDurationMs',
    'failed',
    'astray',
    'sort',
    'limit',
    'cursor',
  ]);
  expect(responses['200'].content['application/json'].schema.properties.traces.items.properties.durationNs.type).toBe('integer');
});
