import { group } from 'd3-array';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { ENDPOINTS, RAW_ENDPOINTS } from '../../src/api/registry.ts';
import { occurrenceOf } from '../../src/core/failures/group.ts';
import { messageShape } from '../../src/core/failures/messageShape.ts';
import { seriesKeyOf } from '../../src/core/incidents/watchedSeries.ts';
import { formatIso } from '../../src/core/time/iso.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { allOperations } from '../../src/store/dictionaries/dictionaries.ts';
import { addIncident, dropIncidents } from '../../src/store/incidents/incidents.ts';
import { type Installation, install } from '../support/installation.ts';
import { toOtlpJson } from '../support/made/otlpJson.ts';
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
    expect(await getJson(dusk.url, '/api/health')).toMatchObject({
      status: 'ok',
      version: '0.1.0',
      database: 'up',
      spans: spans.length,
    });
  });
});

it('names in each answer the trace that it belongs to, though nothing is recorded', async () => {
  const traceId = '4bf92f3577b34da6a3ce929d0e0e4736';
  const asked = await fetch(`${dusk.url}/api/health`, { headers: { traceparent: `00-${traceId}-00f067aa0ba902b7-01` } });
  expect(asked.headers.get('traceresponse')).toMatch(new RegExp(`^00-${traceId}-[0-9a-f]{16}-00$`));
  expect((await fetch(`${dusk.url}/traces`)).headers.get('traceresponse')).toMatch(/^00-[0-9a-f]{32}-[0-9a-f]{16}-00$/);
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
        expect(span.origin?.role === 'origin' ? span.origin.party : undefined).toBe(again.origins.get(span.spanId));
      }
      expect(kept.criticalPath).toEqual(
        again.path.map(({ spanId, start, end }) => ({ spanId, startNs: Number(start), endNs: Number(end) })),
      );
      const lines = kept.ledger.map((it: { kind: string; party: string; durationNs: number }) => [
        `${it.kind} ${it.party}`,
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
    expect(new Set(drawn.litBy.flat())).toEqual(new Set(drawn.path.span));
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

describe('conditions', () => {
  const told = (span: Span, key: string) => span.attributes[key] ?? span.resource[key];
  const some = (fits: (span: Span) => boolean) => expected.filter((it) => it.spans.some(fits));
  const user = (it: Expected) => it.spans.map((span) => span.attributes['enduser.id']).find((id) => id !== undefined);
  const cases: [string, () => Expected[]][] = [
    ['ferry.vehicle_class is coach', () => some((span) => told(span, 'ferry.vehicle_class') === 'coach')],
    [
      'ferry.vehicle_class is coach, freight',
      () => some((span) => ['coach', 'freight'].includes(String(told(span, 'ferry.vehicle_class')))),
    ],
    [
      'ferry.vehicle_class is not coach',
      () => expected.filter((it) => !it.spans.some((span) => told(span, 'ferry.vehicle_class') === 'coach')),
    ],
    ['ferry.party_size over 3', () => some((span) => Number(told(span, 'ferry.party_size')) > 3)],
    ['ferry.route contains SALTERN', () => some((span) => String(told(span, 'ferry.route')).includes('saltern'))],
    ['service.instance.id is berths-1', () => some((span) => span.resource['service.instance.id'] === 'berths-1')],
    ['booking.value exists', () => some((span) => told(span, 'booking.value') !== undefined)],
    // A value a request: the spans themselves are read.
    ['booking.ref contains A1', () => some((span) => String(told(span, 'booking.ref') ?? '').includes('A1'))],
    ['user exists', () => expected.filter((it) => user(it) !== undefined)],
    ['user contains guest-1', () => expected.filter((it) => String(user(it) ?? '').includes('guest-1'))],
    [
      'service is berths;operation contains allocations',
      () => some((span) => span.service === 'berths' && span.name.includes('allocations')),
    ],
    [
      'entry is not POST /holds;duration over 500ms',
      () => expected.filter((it) => it.operation !== 'POST /holds' && it.durationNs > 500e6),
    ],
    [
      'failed is yes;ferry.channel is kiosk',
      () => some((span) => told(span, 'ferry.channel') === 'kiosk').filter((it) => it.failedSpanCount > 0),
    ],
  ];
  it.each(cases)('%s', async (where, wanted) => {
    const right = wanted().map((it) => it.traceId);
    expect(right.length).toBeGreaterThan(0);
    expect(right.length).toBeLessThan(expected.length);
    expect((await allPages(`where=${encodeURIComponent(where)}`)).sort()).toEqual(right.sort());
  });

  it('that cannot be understood are refused with the reason', async () => {
    const answer = await fetch(`${dusk.url}/api/traces?where=${encodeURIComponent('duration over soon')}`);
    expect(answer.status).toBe(400);
    expect((await answer.json()).error).toContain('no duration');
  });

  it('are offered with their values and counts', async () => {
    const from = new Date(END - 40 * 60_000).toISOString();
    const { traces, fields } = await getJson(
      dusk.url,
      `/api/fields?from=${from}&where=${encodeURIComponent('entry is POST /holds')}`,
    );
    const within = expected.filter((it) => it.operation === 'POST /holds' && it.start >= from);
    expect(traces).toBe(within.length);
    const classes = fields.find((it: { field: string }) => it.field === 'ferry.vehicle_class').values;
    for (const { value, count } of classes)
      expect(count).toBe(within.filter((it) => it.spans.some((span) => told(span, 'ferry.vehicle_class') === value)).length);
    expect((await getJson(dusk.url, '/api/environments')).environments).toEqual(['reach-live']);
  });
});

describe('what got worse', () => {
  const at = (minutes: number) => new Date(END - minutes * 60_000).toISOString();
  const window = `from=${at(60)}&to=${at(0)}`;
  const inside = (it: Expected, from: number, to: number) => it.start >= at(from) && it.start < at(to);

  it('is told by journey as the requests say, with and without narrowing', async () => {
    for (const where of ['', 'ferry.channel is phone']) {
      const query = where ? `&where=${encodeURIComponent(where)}` : '';
      const answer = await getJson(dusk.url, `/api/now?${window}&before=${at(85)}/${at(65)}${query}`);
      expect(Date.parse(answer.before.from)).toBe(END - 85 * 60_000);
      const counted = (it: Expected) => where === '' || it.spans.some((span) => span.attributes['ferry.channel'] === 'phone');
      for (const row of answer.journeys) {
        const of = (from: number, to: number) =>
          expected.filter((it) => it.operation === row.name && counted(it) && inside(it, from, to));
        const failures = (list: Expected[]) =>
          list.filter((it) => it.spans.some((span) => !span.parentSpanId && span.status === 'error')).length;
        expect([row.lit.calls, row.before.calls]).toEqual([of(60, 0).length, of(85, 65).length]);
        expect([row.lit.failures, row.before.failures]).toEqual([failures(of(60, 0)), failures(of(85, 65))]);
      }
      expect(answer.journeys.length).toBeGreaterThan(5);
    }
  });

  it('names where the extra time sits, from all requests of the journey that went well', async () => {
    // There are few requests before: what an open incident has shown is known.
    process.env.DATABASE_URL = dusk.cluster.url;
    const minute = END / 60_000;
    const shifts = (await allOperations())
      .filter((it) => it.name === 'POST /holds' && it.service === 'gangway')
      .map(({ id }) => ({
        series: seriesKeyOf('operation', id),
        measure: 'p95' as const,
        firstMinute: minute - 80,
        beginsFrom: minute - 80,
        beginsTo: minute - 80,
        evidence: 100,
        foundMinute: minute - 77,
        lastMinute: minute - 1,
        usual: 1.5e8,
        shifted: 4e9,
      }));
    const [{ firstMinute, lastMinute, foundMinute }] = shifts;
    const id = await addIncident({ source: 'shift', ruleId: '', shifts, firstMinute, lastMinute, foundMinute });
    const { journeys } = await getJson(dusk.url, `/api/now/reasons?from=${at(25)}&to=${at(0)}&before=${at(90)}/${at(81)}`);
    const { requests, slowness } = journeys.find((it: { name: string }) => it.name === 'POST /holds');
    const fine = expected.filter(
      (it) =>
        it.operation === 'POST /holds' &&
        inside(it, 25, 0) &&
        !it.spans.some((span) => !span.parentSpanId && span.status === 'error'),
    );
    expect(requests.lit).toBe(fine.length);
    expect(slowness[0]).toMatchObject({ party: 'berths', starts: true, moreCalls: [] });
    expect(slowness[0].kinds[0].kind).toBe('own');
    const [least, most] = slowness[0].shareRange;
    expect(least).toBeLessThanOrEqual(slowness[0].share);
    expect(most).toBeGreaterThanOrEqual(slowness[0].share);
    // The map says the same of these requests.
    const where = encodeURIComponent('entry is POST /holds');
    const map = await getJson(dusk.url, `/api/map/starts?from=${at(25)}&to=${at(0)}&before=${at(90)}/${at(81)}&where=${where}`);
    expect(map.slowness.origins[0]).toMatchObject({ party: 'berths', share: slowness[0].share, amount: slowness[0].amount });
    await dropIncidents([id]);
    await closeConnections();
  });

  it('counts failures by kind as the spans say, and finds text in them', async () => {
    const failing = spans.filter((span) => span.status === 'error');
    const {
      groups,
      requests,
      kinds: known,
      others,
    } = await getJson(dusk.url, `/api/failures?from=${at(90)}&to=${at(0)}&before=just`);
    expect(groups.reduce((sum: number, it: { count: number }) => sum + it.count, 0)).toBe(failing.length);
    expect(requests).toBe(expected.filter((it) => it.failedSpanCount > 0).length);
    const { occurrences, total } = await getJson(
      dusk.url,
      `/api/failures/${groups[0].id}?from=${at(90)}&to=${at(0)}&before=just`,
    );
    expect(total).toBe(groups[0].count);
    expect(failing.map((span) => span.spanId as string)).toContain(occurrences[0].spanId);
    // Each kind again, from the spans one by one.
    const kinds = group(failing, (span) => {
      const it = occurrenceOf(span);
      return [it.service, it.type, messageShape(it.message)].join(' | ');
    });
    expect([groups.length, known, others]).toEqual([kinds.size, kinds.size, 0]);
    for (const kind of groups) {
      const of = kinds.get([kind.service, kind.type, kind.shape].join(' | '))!;
      const ms = of.map((span) => Number(span.start / 1_000_000n));
      const callers = new Set(failing.map((span) => `${span.traceId} ${span.parentSpanId}`));
      expect(kind).toMatchObject({
        count: of.length,
        requests: new Set(of.map((span) => span.traceId)).size,
        first: Math.min(...ms),
        last: Math.max(...ms),
        passedOn: of.filter((span) => callers.has(`${span.traceId} ${span.spanId}`)).length,
      });
      expect(kind.trend.reduce((sum: number, it: number) => sum + it, 0)).toBe(of.length);
    }
    // With a text that stands in all of them the spans are read, and give the same.
    const { groups: read } = await getJson(
      dusk.url,
      `/api/failures?from=${at(90)}&to=${at(0)}&before=just&text=${encodeURIComponent('service.name')}`,
    );
    expect(read).toEqual(groups);
    const none = await getJson(dusk.url, `/api/failures?from=${at(90)}&to=${at(0)}&text=nowhere-at-all`);
    expect(none.groups).toEqual([]);
  });

  it('adds up an amount that requests carry, each request once', async () => {
    const where = encodeURIComponent('entry is POST /holds');
    const {
      amounts,
      actual,
      expected: usual,
    } = await getJson(dusk.url, `/api/now/cost?${window}&before=${at(85)}/${at(65)}&key=booking.value&where=${where}`);
    const value = (it: Expected) =>
      Number(it.spans.map((span) => span.attributes['booking.value']).find((amount) => amount !== undefined) ?? 0);
    const fine = (it: Expected) => !it.spans.some((span) => !span.parentSpanId && span.status === 'error');
    const of = (from: number, to: number, service: string) =>
      expected.filter((it) => it.operation === 'POST /holds' && it.service === service && inside(it, from, to));
    const sum = (list: Expected[]) => list.filter(fine).reduce((total, it) => total + value(it), 0);
    const services = [...new Set(expected.map((it) => it.service))];
    expect(amounts.length).toBe(60);
    expect(actual).toBe(services.reduce((total, it) => total + sum(of(60, 0, it)), 0));
    // As many attempts as there were, each at what one of that entry brought before.
    const each = services.map((it) => {
      const then = of(85, 65, it);
      return then.length < 20 || sum(then) === 0 ? 0 : (of(60, 0, it).length * sum(then)) / then.length;
    });
    expect(usual).toBeCloseTo(
      each.reduce((total, it) => total + it, 0),
      6,
    );
  });

  it('is kept with the names and objectives that are given', async () => {
    const journeys = [{ name: 'Place a hold', entries: ['POST /holds'], objective: { withinMs: 1000, share: 0.99 } }];
    const put = (body: object) =>
      fetch(`${dusk.url}/api/journeys`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    expect((await put({ journeys: [...journeys, { name: 'Other', entries: ['POST /holds'] }] })).status).toBe(400);
    expect((await put({ journeys })).status).toBe(200);
    const { journeys: rows } = await getJson(dusk.url, `/api/now?${window}`);
    expect(rows.map((it: { name: string }) => it.name)).toContain('Place a hold');
    const { objectives } = await getJson(dusk.url, `/api/now/around?${window}`);
    const all = expected.filter((it) => it.operation === 'POST /holds' && it.start < at(0));
    const bad = all.filter((it) => it.durationNs > 1e9 || it.spans.some((span) => !span.parentSpanId && span.status === 'error'));
    // The sketch knows a duration to two per cent.
    expect(Math.abs(objectives[0].share - (1 - bad.length / all.length))).toBeLessThan(0.01);
    expect((await put({ journeys: [] })).status).toBe(200);
  });
});

describe('asking', () => {
  const ask = async (text: string, deep = false) =>
    (await getJson(dusk.url, `/api/ask?text=${encodeURIComponent(text)}${deep ? '&deep=true' : ''}`)).hits as {
      kind: string;
      path: string;
      where: string;
      span: string;
      requests: number | null;
    }[];
  const hold = expected.find((it) => it.operation === 'POST /holds')!;

  it('knows a trace, a header, a span', async () => {
    expect((await ask(hold.traceId))[0].path).toBe(`/traces/${hold.traceId}`);
    const span = hold.spans[3];
    expect((await ask(`traceresponse: 00-${hold.traceId}-${span.spanId}-01`))[0]).toMatchObject({
      path: `/traces/${hold.traceId}`,
      span: span.spanId,
    });
    expect((await ask(span.spanId, true))[0]).toMatchObject({ kind: 'span', path: `/traces/${hold.traceId}`, span: span.spanId });
  });

  it('knows users, sessions, services, operations and values', async () => {
    const root = hold.spans.find((it) => it.attributes['enduser.id'] !== undefined)!;
    const [user] = await ask(String(root.attributes['enduser.id']));
    expect(user).toMatchObject({ kind: 'user', where: `user is ${root.attributes['enduser.id']}` });
    expect(user.requests).toBe(
      expected.filter((it) => it.spans.some((span) => span.attributes['enduser.id'] === root.attributes['enduser.id'])).length,
    );
    expect((await ask(String(root.attributes['session.id'])))[0].kind).toBe('session');
    expect((await ask('berths')).map((it) => it.path)).toContain('/services/berths');
    expect((await ask('coach')).map((it) => it.where)).toContain('ferry.vehicle_class is coach');
  });

  it('looks through every span for what has no name: a booking reference, an error', async () => {
    const ref = String(hold.spans.map((it) => it.attributes['booking.ref']).find((it) => it !== undefined));
    const found = await ask(ref, true);
    expect(found.find((it) => it.where === `booking.ref is ${ref}`)?.requests).toBe(
      expected.filter((it) => it.spans.some((span) => span.attributes['booking.ref'] === ref)).length,
    );
    const failed = spans.find((it) => it.status === 'error' && it.statusMessage !== '')!;
    expect((await ask(failed.statusMessage, true)).map((it) => it.kind)).toContain('error');
    expect(await ask('no such thing anywhere', true)).toEqual([]);
  });
});

describe('a short link', () => {
  const make = (path: string) =>
    fetch(`${dusk.url}/api/links`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ path }),
    });

  it('leads to the address it was made for, and is the same each time', async () => {
    const path = '/traces?from=2026-05-02T12:00Z&to=2026-05-02T13:00Z&where=ferry.vehicle_class is coach'.replace(/ /g, '+');
    const [first, second] = [await (await make(path)).json(), await (await make(path)).json()];
    expect(first).toEqual({ path, short: expect.stringMatching(/^\/l\/[A-Za-z0-9]{7}$/) });
    expect(second).toEqual(first);
    const answer = await fetch(dusk.url + first.short, { redirect: 'manual' });
    expect([answer.status, answer.headers.get('location')]).toEqual([302, path]);
    expect((await (await make(`${path}&sort=failed`)).json()).short).not.toBe(first.short);
  });

  it.each(['//elsewhere.example/now', 'https://elsewhere.example', '/\\elsewhere.example', '/a b', 'now', ''])(
    'is not made for %j, which is no address within the application',
    async (path) => {
      const answer = await make(path);
      expect([answer.status, (await answer.json()).error]).toEqual([400, 'path: not an address within the application']);
    },
  );

  it('that nobody made says so', async () => {
    const answer = await fetch(`${dusk.url}/l/nothing`);
    expect([answer.status, await answer.text()]).toEqual([404, expect.stringContaining('This link leads nowhere')]);
  });
});

describe('the interface for programs', () => {
  const registered = [...ENDPOINTS, ...RAW_ENDPOINTS].map(({ path, method = 'GET' }) => ({ path, method }));

  it.each(registered)('describes $method $path', async ({ path, method }) => {
    const { paths } = await getJson(dusk.url, '/api/openapi.json');
    const operation = paths[path][method.toLowerCase()];
    expect(operation.summary).toMatch(/\S{2}.*\.$/);
    for (const [, name] of path.matchAll(/\{(\w+)\}/g))
      if (method === 'GET')
        expect(operation.parameters.find((it: { name: string }) => it.name === name)).toMatchObject({
          in: 'path',
          required: true,
        });
  });

  // A monitor may add what it likes to the address of the health.
  it.each(registered.filter(({ path }) => path !== '/api/health'))(
    'refuses what $method $path does not ask for, in words',
    async ({ path, method }) => {
      const address = dusk.url + path.replace(/\{\w+\}/g, 'x');
      const body = method === 'GET' ? undefined : JSON.stringify({ 'no such': 1 });
      const answer = await fetch(`${address}${method === 'GET' ? '?no+such=1' : ''}`, {
        method,
        body,
        headers: body ? { 'content-type': 'application/json' } : {},
      });
      expect(answer.status).toBeGreaterThanOrEqual(400);
      expect(answer.status).toBeLessThan(500);
      expect((await answer.json()).error).toMatch(/\S/);
      if (!body) return;
      const asForm = await fetch(address, { method, body, headers: { 'content-type': 'text/plain' } });
      expect([asForm.status, (await asForm.json()).error]).toEqual([400, 'the body must be application/json']);
    },
  );

  const INHERITED = ['constructor', '__proto__', 'prototype', 'toString', 'hasOwnProperty', 'valueOf'];

  it.each(registered.filter(({ method, path }) => method === 'GET' && path !== '/api/health'))(
    'takes no name that every object has for one of its own: $path',
    async ({ path }) => {
      const { paths } = await getJson(dusk.url, '/api/openapi.json');
      const own: string[] = (paths[path].get.parameters ?? []).map(({ name }: { name: string }) => name);
      for (const name of INHERITED) {
        const asKey = await fetch(`${dusk.url}${path.replace(/\{\w+\}/g, name)}?${name}=${name}`);
        const asValues = await fetch(
          `${dusk.url}${path.replace(/\{\w+\}/g, name)}?${own.map((it) => `${it}=${name}`).join('&')}`,
        );
        expect([name, asKey.status >= 400 && asKey.status < 500, asValues.status < 500]).toEqual([name, true, true]);
        await Promise.all([asKey.text(), asValues.text()]);
      }
    },
  );

  it.each([
    '/now',
    '/now/failures',
    '/map',
    '/traces',
    '/contrast',
    '/logs',
    '/databases',
    '/code',
    '/machines',
    '/visitors',
    '/casebook',
  ])('neither does the page %s', async (page) => {
    const shared = ['last', 'from', 'before', 'where', 'text', 'sort', 'as', 'by', 'open', 'env'];
    for (const name of INHERITED) {
      const answer = await fetch(`${dusk.url}${page}?${name}=1&${shared.map((it) => `${it}=${name}`).join('&')}`);
      expect([name, answer.status < 500]).toEqual([name, true]);
      await answer.text();
    }
  });

  it('says which methods a path has, and which paths there are', async () => {
    const wrong = await fetch(`${dusk.url}/api/journeys`, { method: 'DELETE' });
    expect([wrong.status, wrong.headers.get('allow')]).toEqual([405, 'GET, PUT']);
    const unknown = await fetch(`${dusk.url}/api/journey`);
    expect([unknown.status, (await unknown.json()).error]).toEqual([404, expect.stringContaining('/api/openapi.json')]);
  });

  it('counts a body while it is read', async () => {
    const answer = await fetch(`${dusk.url}/api/links`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ path: 'x'.repeat(300_000) }),
    });
    expect([answer.status, (await answer.json()).error]).toEqual([400, 'the body is over 262144 bytes']);
  });
});

it('describes the parameters of an endpoint', async () => {
  const described = await getJson(dusk.url, '/api/openapi.json');
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
    'where',
    'clockOutOfRange',
    'sort',
    'limit',
    'cursor',
  ]);
  expect(responses['200'].content['application/json'].schema.properties.traces.items.properties.durationNs.type).toBe('integer');
});
