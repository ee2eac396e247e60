import { group } from 'd3-array';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import type { StackSample } from '../../src/core/profile/stackSample.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { toOtlpProfiles } from '../../src/formats/profile/tables.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { toOtlpJson } from '../support/made/otlpJson.ts';
import { event, logs, second } from '../support/made/otlpSignals.ts';
import { EPOCH, idOf, makeSpan, makeSpans } from '../support/made/traceMaker.ts';
import { recount } from '../support/recount.ts';
import { getJson, post, sendJson, sendSpans } from '../support/sending.ts';

const END = Date.parse('2026-05-02T15:00:00Z');
const WINDOW = `from=${new Date(END - 5_400_000).toISOString()}&to=${new Date(END).toISOString()}`;
const spans = simulateDay({ endMs: END, hours: 1.5, seed: 12, scale: 0.3 });
const requests = [...group(spans, (span) => span.traceId as string)].map(([traceId, of]) => {
  const root = of.find((span) => span.parentSpanId === null)!;
  return { traceId, of, root, durationNs: Number(root.end - root.start), failed: root.status === 'error' };
});
type Request = (typeof requests)[number];
const idIn = (traceId: string) => traceId as Span['traceId'];
const MADE = { waits: idIn('a'.repeat(32)), first: idIn('b'.repeat(32)), taker: idIn('c'.repeat(32)) };
const ms = 1_000_000;

let dusk: Installation;
beforeAll(async () => {
  dusk = await install({ traceSelf: true });
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000), { gzip: true });
});
afterAll(() => dusk.stop());

const ask = (path: string) => getJson(dusk.url, `/api/traces${path}`);

describe('patterns of spans', () => {
  const lasts = (span: Span) => Number(span.end - span.start);
  const above =
    (upper: (span: Span) => boolean, lower: (span: Span) => boolean, directly = false) =>
    ({ of }: Request) =>
      of.some((span) => {
        if (!lower(span)) return false;
        for (
          let at = of.find((it) => it.spanId === span.parentSpanId);
          at;
          at = of.find((it) => it.spanId === at!.parentSpanId)
        ) {
          if (upper(at)) return true;
          if (directly) return false;
        }
        return false;
      });
  const some =
    (test: (span: Span) => boolean) =>
    ({ of }: Request) =>
      of.some(test);
  it.each<[string, (it: Request) => boolean]>([
    ['span where service is berths and duration over 100ms', some((span) => span.service === 'berths' && lasts(span) > 1e8)],
    ['span where kind is client and failed is yes', some((span) => span.kind === 'client' && span.status === 'error')],
    [
      'span where service is holds above service is berths and duration over 50ms',
      above(
        (span) => span.service === 'holds',
        (span) => span.service === 'berths' && lasts(span) > 5e7,
      ),
    ],
    [
      'span where operation contains session directly above service is accounts',
      above(
        (span) => span.name.toLowerCase().includes('session'),
        (span) => span.service === 'accounts',
        true,
      ),
    ],
    [
      'span where db.operation.name is INSERT and duration at least 2ms',
      some((span) => span.attributes['db.operation.name'] === 'INSERT' && lasts(span) >= 2e6),
    ],
    ['span nowhere service is accounts', ({ of }) => !of.some((span) => span.service === 'accounts')],
    ['root where kind is server and duration under 20ms', ({ root }) => root.kind === 'server' && lasts(root) < 2e7],
    [
      'span where service is manifests;duration over 60ms;failed is no',
      (it) =>
        it.of.some((span) => span.service === 'manifests') &&
        it.durationNs > 6e7 &&
        it.of.every((span) => span.status !== 'error'),
    ],
  ])('%s: those that a look at every span finds', async (where, test) => {
    const wanted = requests.filter(test).map((it) => it.traceId);
    const { traces: found, total } = await ask(`?limit=1000&${WINDOW}&where=${encodeURIComponent(where)}`);
    expect(total).toBe(wanted.length);
    expect(wanted.length).toBeGreaterThan(0);
    if (wanted.length <= 1000) expect(found.map((it: { traceId: string }) => it.traceId).sort()).toEqual(wanted.sort());
  });

  it('says what is wrong with one', async () => {
    const answer = await fetch(`${dusk.url}/api/traces?where=${encodeURIComponent('span where service is')}`);
    expect([answer.status, (await answer.json()).error]).toEqual([400, expect.stringContaining('wants a value')]);
  });
});

describe('many at once', () => {
  it('are points of time and duration, each once', async () => {
    const points = await ask(`/points?${WINDOW}&most=20000`);
    expect(points.total).toBe(requests.length);
    expect([...points.traceId].sort()).toEqual(requests.map((it) => it.traceId).sort());
    for (const [at, id] of points.traceId.entries()) {
      const { durationNs, failed, of } = requests.find((it) => it.traceId === id)!;
      expect(points.durationNs[at]).toBe(durationNs);
      expect(points.outcome[at]).toBe(failed ? 2 : of.some((span) => span.status === 'error') ? 1 : 0);
    }
  });

  it('are the slowest and a part of the others when they are too many', async () => {
    const points = await ask(`/points?${WINDOW}&most=200`);
    expect(points.traceId.length).toBeLessThanOrEqual(200);
    const slowest = [...requests].sort((a, b) => b.durationNs - a.durationNs).slice(0, 50);
    for (const { traceId } of slowest) expect(points.traceId).toContain(traceId);
  });

  it('come failed first, on every page', async () => {
    const rank = (it: Request) => (it.failed ? 2 : it.of.some((span) => span.status === 'error') ? 1 : 0);
    const sorted = [...requests].sort(
      (a, b) => rank(b) - rank(a) || b.durationNs - a.durationNs || (a.traceId < b.traceId ? 1 : -1),
    );
    const ids: string[] = [];
    for (let cursor = ''; ids.length < 400; ) {
      const page = await ask(`?sort=-failed&limit=100&${WINDOW}${cursor}`);
      for (const { traceId } of page.traces) ids.push(traceId);
      cursor = `&cursor=${page.nextCursor}`;
    }
    expect(ids).toEqual(sorted.slice(0, 400).map((it) => it.traceId));
  });

  const valuesOf: Readonly<Record<string, (it: Request) => (string | null)[]>> = {
    entry: ({ root }) => [root.name],
    service: ({ of }) => [...new Set(of.map((span) => span.service))],
    operation: ({ of }) => [...new Set(of.map((span) => `${span.service} ${span.name}`))],
    outcome: ({ failed, of }) => [failed ? 'failed' : of.some((span) => span.status === 'error') ? 'a failure inside' : 'fine'],
    'ferry.vehicle_class': ({ of }) => {
      const values = new Set(of.map((span) => span.attributes['ferry.vehicle_class']).filter((it) => it !== undefined));
      return values.size === 0 ? [null] : [...values].map(String);
    },
  };
  it.each(Object.keys(valuesOf))('grouped by %s have the figures of a recount', async (by) => {
    const { groups } = await ask(`/groups?${WINDOW}&before=just&by=${by}`);
    const again = new Map<string | null, Request[]>();
    for (const it of requests) for (const value of valuesOf[by](it)) again.set(value, [...(again.get(value) ?? []), it]);
    expect(new Set(groups.map((it: { value: string }) => it.value))).toEqual(new Set(again.keys()));
    for (const { value, lit } of groups) {
      const members = again.get(value)!;
      const durations = members.map((it) => it.durationNs).sort((a, b) => a - b);
      const total = durations.reduce((sum, it) => sum + it, 0);
      expect([lit.calls, lit.failed]).toEqual([members.length, members.filter((it) => it.failed).length]);
      expect(lit.totalNs / total).toBeCloseTo(1, 9);
      expect(lit.p95Ns / durations[Math.ceil(0.95 * durations.length) - 1]).toBeCloseTo(1, 1.3);
    }
  });

  it('show in a stripe whose the time of each was', async () => {
    const chosen = requests.slice(0, 20);
    const { stripes } = await ask(`/stripes?ids=${chosen.map((it) => it.traceId).join()}`);
    expect(stripes).toHaveLength(20);
    for (const { traceId, parts } of stripes) {
      const { of, durationNs } = chosen.find((it) => it.traceId === traceId)!;
      const sums = new Map<string, number>();
      for (const { spanId, start, end } of recount(toOtlpJson(of), traceId).path) {
        const { service } = of.find((span) => span.spanId === spanId)!;
        sums.set(service, (sums.get(service) ?? 0) + Number(end - start));
      }
      for (const { service, share } of parts) expect(share).toBeCloseTo((sums.get(service) ?? 0) / durationNs, 9);
    }
  });

  it('have an example nearest to a duration', async () => {
    const holds = requests.filter((it) => it.root.name === 'POST /holds');
    const nearest = holds.reduce((best, it) =>
      Math.abs(Math.log(it.durationNs / 3e7)) < Math.abs(Math.log(best.durationNs / 3e7)) ? it : best,
    );
    expect(await ask(`/nearest?${WINDOW}&durationNs=30000000&where=${encodeURIComponent('entry is POST /holds')}`)).toEqual({
      traceId: nearest.traceId,
    });
    expect((await fetch(`${dusk.url}/api/traces/nearest?durationNs=0`)).status).toBe(400);
    expect((await fetch(`${dusk.url}/api/traces/nearest?durationNs=5&where=service%20is%20nobody`)).status).toBe(404);
  });
});

describe('what is usual', () => {
  it('is, of each operation of a trace, how long its like took in the window', async () => {
    const { traceId, of } = requests.find((it) => it.root.name === 'POST /holds')!;
    const { operations } = await ask(`/${traceId}/usual?${WINDOW}`);
    const keyOf = (it: { service: string; kind: string }, name: string) => `${it.service} ${name} ${it.kind}`;
    expect(new Set(operations.map((it: Span & { operation: string }) => keyOf(it, it.operation)))).toEqual(
      new Set(of.map((span) => keyOf(span, span.name))),
    );
    for (const it of operations) {
      const like = spans
        .filter((span) => keyOf(span, span.name) === keyOf(it, it.operation))
        .map((span) => Number(span.end - span.start))
        .sort((a, b) => a - b);
      expect(it.calls).toBe(like.length);
      expect(it.zero + it.buckets.reduce((sum: number, [, count]: [number, number]) => sum + count, 0)).toBe(like.length);
      expect(Math.abs(it.p50Ns / like[Math.ceil(like.length / 2) - 1] - 1)).toBeLessThan(0.023);
    }
  });

  it('is that of the window before when it is asked for', async () => {
    const { traceId } = requests.find((it) => it.root.name === 'POST /holds')!;
    const times = spans.map(({ start }) => start).sort((a, b) => (a < b ? -1 : 1));
    // Whole minutes: rollups know no less.
    const middle = (times[Math.floor(times.length / 2)] / 60_000_000_000n) * 60_000_000_000n;
    const iso = (ns: bigint) => new Date(Number(ns / 1_000_000n)).toISOString();
    const [first, last] = [iso(times[0] - 60_000_000_000n), iso(times.at(-1)! + 60_000_000_000n)];
    const { operations } = await ask(`/${traceId}/usual?from=${iso(middle)}&to=${last}&before=${first}/${iso(middle)}`);
    const holds = operations.find(
      (it: { operation: string; kind: string }) => it.operation === 'POST /holds' && it.kind === 'server',
    );
    const before = spans.filter((span) => span.name === 'POST /holds' && span.kind === 'server' && span.start < middle);
    expect(before.length).toBeGreaterThan(0);
    expect(holds.calls).toBe(before.filter(({ service }) => service === holds.service).length);
  });
});

describe('two traces', () => {
  it('differ by what the rows add, and by the lines of the ledger', async () => {
    const [one, other] = requests.filter((it) => it.root.name === 'POST /holds');
    const { a, b, rows, ledger } = await ask(`/${one.traceId}/compare?${WINDOW}&with=${other.traceId}`);
    expect([a.durationNs, b.durationNs, a.traceId]).toEqual([other.durationNs, one.durationNs, other.traceId]);
    const difference = one.durationNs - other.durationNs;
    type Side = { pathNs: number; count: number } | null;
    expect(rows.reduce((sum: number, row: { a: Side; b: Side }) => sum + (row.b?.pathNs ?? 0) - (row.a?.pathNs ?? 0), 0)).toBe(
      difference,
    );
    expect(rows.reduce((sum: number, row: { b: Side }) => sum + (row.b?.count ?? 0), 0)).toBe(one.of.length);
    expect(ledger.reduce((sum: number, line: { aNs: number; bNs: number }) => sum + line.bNs - line.aNs, 0)).toBe(difference);
  });

  it('may be one and the typical of its like', async () => {
    const slowest = requests.filter((it) => it.root.name === 'GET /sailings').sort((a, b) => b.durationNs - a.durationNs)[0];
    const { a, b, rows, ledger } = await ask(`/${slowest.traceId}/compare?${WINDOW}&with=lit`);
    expect(a).toMatchObject({ traceId: null, traces: 40, operation: 'GET /sailings' });
    const like = requests
      .filter((it) => it.root.name === 'GET /sailings' && !it.failed)
      .map((it) => it.durationNs)
      .sort((x, y) => x - y);
    expect(a.durationNs / like[like.length >> 1]).toBeGreaterThan(0.8);
    expect(a.durationNs / like[like.length >> 1]).toBeLessThan(1.25);
    const difference = b.durationNs - a.durationNs;
    expect(
      ledger.reduce((sum: number, line: { aNs: number; bNs: number }) => sum + line.bNs - line.aNs, 0) / difference,
    ).toBeCloseTo(1, 6);
    expect(rows.length).toBeGreaterThan(3);
  });

  it('says what there is not to compare with', async () => {
    const status = async (query: string) =>
      (await fetch(`${dusk.url}/api/traces/${requests[0].traceId}/compare?${query}`)).status;
    expect(await status(`${WINDOW}&with=${'9'.repeat(32)}`)).toBe(404);
    expect(await status(`${WINDOW}&with=nonsense`)).toBe(400);
    expect(await status('from=2020-01-01T00:00:00Z&to=2020-01-01T01:00:00Z&with=lit')).toBe(404);
  });
});

describe('within a trace', () => {
  it('a text is found, and attributes stand in a column', async () => {
    const { traceId, of } = requests.find((it) => it.root.name === 'POST /holds')!;
    const { found } = await ask(`/${traceId}/find?text=SESSION`);
    const wanted = of.filter((span) =>
      JSON.stringify([span.name, span.service, span.attributes, span.resource, span.events.map((it) => [it.name, it.attributes])])
        .toLowerCase()
        .includes('session'),
    );
    expect(found.map((it: { spanId: string }) => it.spanId).sort()).toEqual(wanted.map((span) => span.spanId as string).sort());
    const { keys, values } = await ask(`/${traceId}/attributes?key=server.address`);
    const having = of.filter((span) => span.attributes['server.address'] !== undefined);
    expect(keys.find((it: { key: string }) => it.key === 'server.address').spans).toBe(having.length);
    expect(new Map(values.map((it: { spanId: string; text: string }) => [it.spanId, it.text]))).toEqual(
      new Map(having.map((span) => [span.spanId, String(span.attributes['server.address'])])),
    );
  });

  it('its log records stand by time, events of the project left out', async () => {
    const { traceId } = requests[0];
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('holds', [
        { atMs: END - 2000, text: 'second', traceId, severity: 17 },
        { atMs: END - 3000, text: 'first', traceId },
        { atMs: END - 2500, text: 'of another', traceId: requests[1].traceId },
        { atMs: END - 2400, text: 'of none' },
      ]),
    );
    const { logs: found, total } = await ask(`/${traceId}/logs`);
    expect(total).toBe(2);
    expect(found.map((it: { body: string; severity: number }) => [it.body, it.severity])).toEqual([
      ['first', 9],
      ['second', 17],
    ]);
  });

  it('the part of a statement that waited for a lock is the samples’', async () => {
    const traceId = MADE.waits;
    const made = makeSpans(
      { id: 0, from: 0, to: 10_000 * ms, service: 'manifests', kind: 'server' },
      {
        id: 1,
        parent: 0,
        from: 1000 * ms,
        to: 9000 * ms,
        service: 'manifests',
        kind: 'client',
        name: 'UPDATE booking',
        attributes: { 'db.system.name': 'postgresql', 'server.address': 'manifest-db' },
      },
    ).map((span) => ({ ...span, traceId }));
    await sendSpans(dusk.url, made);
    const at = (second: number) => Number(EPOCH / 1_000_000n) + second * 1000;
    const sample = (from: number, waitClass: string) =>
      second(at(from), 'manifest-db', [
        {
          session: '7',
          state: 'active',
          wait_class: waitClass,
          wait_event: waitClass === 'Lock' ? 'transactionid' : '',
          statement_id: 'f7',
          traceparent: `00-${traceId}-${idOf(1)}-01`,
        },
      ]);
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs(
        'manifest-db',
        [2, 3, 4, 5].map((it) => sample(it, it < 5 ? 'Lock' : '')),
      ),
    );
    const timeline = await ask(`/${traceId}/timeline`);
    expect(timeline.waits).toEqual([{ span: 1, samples: 4, lock: 0.75, io: 0, event: 'transactionid' }]);
    expect(timeline.ledger.map((it: { kind: string; durationNs: number }) => [it.kind, it.durationNs / ms])).toEqual([
      ['lock', 6000],
      ['db', 2000],
      ['own', 2000],
    ]);
  });

  it('stands beside where in the code it was, by the samples that name it', async () => {
    const traceId = '8'.repeat(32) as Span['traceId'];
    const made = makeSpans({ id: 0, from: 0, to: 9000 * ms, service: 'berths', kind: 'server' }).map((span) => ({
      ...span,
      traceId,
    }));
    await sendSpans(dusk.url, made);
    const fits = { name: 'fits', file: 'layout/solve.ts', line: 41 };
    const zip = { name: 'deflate', file: 'node:zlib', line: 790 };
    const span = { traceId, spanId: idOf(0) };
    const profileAt = (second: number, samples: StackSample[]) => ({
      type: 'cpu',
      unit: 'nanoseconds',
      time: EPOCH + BigInt(second) * 1_000_000_000n,
      durationNs: 5_000_000_000n,
      samples,
    });
    const profiles = [
      profileAt(0, [
        { frames: [fits], value: 20e6, span },
        { frames: [zip, fits], value: 10e6, span },
        { frames: [fits], value: 10e6, span: { traceId, spanId: idOf(1) } },
      ]),
      profileAt(5, [{ frames: [zip], value: 10e6, span }]),
    ];
    await sendJson(dusk.url, '/v1development/profiles', toOtlpProfiles([{ resource: { 'service.name': 'berths' }, profiles }]));
    const { code } = await getJson(dusk.url, `/api/traces/${traceId}/spans/${idOf(0)}/beside?${WINDOW}`);
    expect(code).toEqual([
      {
        type: 'cpu',
        unit: 'nanoseconds',
        samples: 3,
        total: 40e6,
        lines: [
          { ...fits, own: true, below: 'deflate', samples: 2, value: 30e6, share: 0.75 },
          { ...zip, own: false, below: null, samples: 1, value: 10e6, share: 0.25 },
        ],
      },
    ]);
  });

  it('opens own code on the critical path into its functions, which add up to it', async () => {
    const traceId = '9'.repeat(32) as Span['traceId'];
    const made = makeSpans(
      { id: 0, from: 0, to: 1000 * ms, service: 'gates', kind: 'server' },
      { id: 1, parent: 0, from: 200 * ms, to: 600 * ms, service: 'gates', kind: 'internal' },
      { id: 2, parent: 0, from: 600 * ms, to: 900 * ms, service: 'quays', kind: 'server' },
    ).map((it) => ({ ...it, traceId }));
    await sendSpans(dusk.url, made);
    const solve = { name: 'solve', file: 'layout/solve.ts', line: 41 };
    const read = { name: 'read', file: 'layout/read.ts', line: 7 };
    const inSpan = (id: number) => ({ traceId, spanId: idOf(id) });
    const others = { traceId: 'a9'.repeat(16), spanId: idOf(0) };
    const samples: StackSample[] = [
      { frames: [solve], value: 30e6, span: inSpan(0) },
      { frames: [read], value: 10e6, span: inSpan(0) },
      ...[1, 2, 3, 4].map(() => ({ frames: [read], value: 10e6, span: inSpan(1) })),
      // Of a request that ran at the same time.
      { frames: [solve], value: 90e6, span: others },
    ];
    const profile = { type: 'cpu', unit: 'nanoseconds', time: EPOCH, durationNs: 5_000_000_000n, samples };
    const url = `/api/traces/${traceId}/functions?party=gates`;
    expect(await getJson(dusk.url, url)).toMatchObject({ type: null, samples: 0, enough: false, unsampledNs: 700 * ms });
    await sendJson(
      dusk.url,
      '/v1development/profiles',
      toOtlpProfiles([{ resource: { 'service.name': 'gates' }, profiles: [profile] }]),
    );
    const { ledger } = await getJson(dusk.url, `/api/traces/${traceId}/timeline`);
    const own = ledger.find((it: { party: string; kind: string }) => it.party === 'gates' && it.kind === 'own');
    // 300 ms of the root's own, a quarter of it read; 400 ms of the other span's, all of it read.
    expect(await getJson(dusk.url, url)).toEqual({
      durationNs: own.durationNs,
      type: 'cpu',
      samples: 6,
      enough: true,
      functions: [
        { ...read, own: true, below: null, samples: 5, ns: 475 * ms },
        { ...solve, own: true, below: null, samples: 1, ns: 225 * ms },
      ],
      restNs: 0,
      unsampledNs: 0,
    });
    expect((await fetch(`${dusk.url}/api/traces/${traceId}/functions?party=nobody`)).status).toBe(404);
  });

  it('stands beside whom its statement waited for, first the one who waited for nobody, and the visitor who waited', async () => {
    const traceId = 'd'.repeat(32) as Span['traceId'];
    const made = makeSpans(
      { id: 0, from: 0, to: 10_000 * ms, service: 'manifests', kind: 'server' },
      { id: 1, parent: 0, from: 1000 * ms, to: 9000 * ms, service: 'manifests', kind: 'client', name: 'UPDATE booking' },
    ).map((span) => ({ ...span, traceId }));
    await sendSpans(dusk.url, made);
    const start = Number(EPOCH / 1_000_000n);
    const statements = { own: 'UPDATE booking', other: 'UPDATE booking SET y', job: 'UPDATE booking SET season' };
    const waiting = (session: string, blocked_by: string[], more: Record<string, unknown>) => ({
      session,
      state: 'active',
      blocked_by,
      ...(blocked_by.length > 0 ? { wait_class: 'Lock' } : {}),
      ...more,
    });
    const own = { statement_id: 'own', traceparent: `00-${traceId}-${idOf(1)}-01` };
    const other = { statement_id: 'other', program: 'holds', traceparent: `00-${'e'.repeat(32)}-${'b'.repeat(16)}-01` };
    const job = { statement_id: 'job', program: 'season-rollover', state: 'idle in transaction' };
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs(
        'sampler of manifest-db',
        [2, 3, 4].flatMap((it) => [
          second(
            start + it * 1000,
            'manifest-db',
            [waiting('7', ['8'], own), waiting('8', it < 4 ? ['9'] : [], other), waiting('9', [], job)],
            { 'lantern.db.statements': statements },
          ),
          // Of another database, or at another time, a session of that number is another one.
          second(start + (it + 100) * 1000, 'manifest-db', [waiting('7', ['6'], {}), waiting('6', [], {})]),
        ]),
      ),
    );
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('deck-app', [
        event('lantern.visit', start - 100, {
          'session.id': 'v1',
          'user.id': 'guest-7',
          'lantern.visit.kind': 'action',
          'url.path': '/manifest',
          'lantern.visit.name': 'open manifest',
          'lantern.visit.duration_ms': 10_200,
          'lantern.visit.order': 1,
          'lantern.trace_id': traceId,
        }),
      ]),
    );
    const besideOf = (id: number) => getJson(dusk.url, `/api/traces/${traceId}/spans/${idOf(id)}/beside?${WINDOW}`);
    const { blockers, visit } = await besideOf(1);
    expect(blockers.map((it: Record<string, unknown>) => [it.program, it.session, it.samples, it.isFirst, it.statement])).toEqual(
      [
        ['season-rollover', '9', 2, true, 'UPDATE booking SET season'],
        ['holds', '8', 3, false, 'UPDATE booking SET y'],
      ],
    );
    expect(visit).toEqual({ visitor: 'deck-app', session: 'v1', page: '/manifest', name: 'open manifest', durationMs: 10_200 });
    expect((await besideOf(0)).blockers).toEqual([]);
  });

  it('is given as it was sent, and a file of it opens without being stored', async () => {
    const { traceId, of } = requests.find((it) => it.root.name === 'POST /holds')!;
    const answer = await fetch(`${dusk.url}/api/traces/${traceId}/otlp`);
    expect(answer.headers.get('content-disposition')).toContain(`trace-${traceId}.otlp.json`);
    const text = await answer.text();
    const again = recount(JSON.parse(text), traceId);
    expect(again.self.size).toBe(of.length);
    expect(again.path).toEqual(recount(toOtlpJson(of), traceId).path);

    const other = text.replaceAll(traceId, '7'.repeat(32));
    const opened = await post(dusk.url, JSON.stringify({ text: other }), 'application/json', {}, '/api/traces/opened');
    const { traces, total } = await opened.json();
    expect([opened.status, total, traces[0].spans.length]).toEqual([200, 1, of.length]);
    const { waits: _, ...kept } = await ask(`/${traceId}/timeline`);
    expect(traces[0].timeline.path).toEqual(kept.path);
    expect(traces[0].timeline.ledger).toEqual(kept.ledger);
    expect((await fetch(`${dusk.url}/api/traces/${'7'.repeat(32)}`)).status).toBe(404);
    const refused = await post(dusk.url, JSON.stringify({ text: 'no JSON' }), 'application/json', {}, '/api/traces/opened');
    expect([refused.status, (await refused.json()).error]).toEqual([400, expect.stringContaining('OTLP JSON')]);
  });
});

describe('traces that a message joins', () => {
  it('are one, with the wait in the queue', async () => {
    const sender = makeSpans(
      { id: 0, from: 0, to: 30 * ms, service: 'gangway', kind: 'server' },
      {
        id: 1,
        parent: 0,
        from: 10 * ms,
        to: 20 * ms,
        service: 'holds',
        kind: 'producer',
        attributes: { 'messaging.destination.name': 'notice-queue' },
      },
    ).map((span) => ({ ...span, traceId: MADE.first }));
    const taker = {
      ...makeSpan({ id: 8, from: 5000 * ms, to: 5400 * ms, service: 'notices', kind: 'consumer' }),
      traceId: MADE.taker,
      links: [{ traceId: MADE.first, spanId: idOf(1), traceState: '', attributes: {} }],
    };
    await sendSpans(dusk.url, [...sender, taker]);
    for (const from of [MADE.first, MADE.taker]) {
      const joined = await ask(`/${from}/timeline?joined=true`);
      expect(joined.traces).toEqual([MADE.first, MADE.taker]);
      expect(joined.durationNs).toBe(5400 * ms);
      expect(joined.queues).toEqual([
        { producer: 1, consumer: 2, destination: 'notice-queue', startNs: 20 * ms, endNs: 5000 * ms },
      ]);
      expect(joined.ledger[0]).toMatchObject({ party: 'notice-queue', kind: 'queue', durationNs: 4980 * ms });
    }
    expect((await ask(`/${MADE.first}/timeline`)).traces).toEqual([MADE.first]);
  });
});

describe('the application itself', () => {
  it('is recorded when asked: answers name their trace, which has the questions to the database', async () => {
    const traceId = '4bf92f3577b34da6a3ce929d0e0e4736';
    const asked = await fetch(`${dusk.url}/api/traces/overview?${WINDOW}`, {
      headers: { traceparent: `00-${traceId}-00f067aa0ba902b7-01` },
    });
    expect(asked.headers.get('traceresponse')).toMatch(new RegExp(`^00-${traceId}-[0-9a-f]{16}-01$`));
    const kept = await until(
      () => ask(`/${traceId}`).catch(() => undefined),
      // The request and what another process asks the database for it are sent apart.
      (it) => it?.spans.length > 4 && it.spans.some(({ kind }: { kind: string }) => kind === 'server'),
    );
    const root = kept.spans.find(({ kind }: { kind: string }) => kind === 'server');
    const questions = kept.spans.filter((it: unknown) => it !== root);
    expect(root).toMatchObject({
      service: 'dusk-lantern',
      operation: 'GET /api/traces/overview',
      kind: 'server',
      parentSpanId: '00f067aa0ba902b7',
    });
    for (const it of questions) {
      expect(it).toMatchObject({ kind: 'client', parentSpanId: root.spanId });
      expect(it.attributes['db.query.text']).toMatch(/\S/);
    }
    // The door is left out: each request of it would bring the next.
    const { fields } = await getJson(dusk.url, '/api/fields?where=service%20is%20dusk-lantern');
    const routes = fields.find((it: { field: string }) => it.field === 'http.route')?.values ?? [];
    expect(routes.length).toBeGreaterThan(0);
    for (const { value } of routes) expect(value).not.toMatch(/^\/v1/);
  });

  it('and so is what the application measures of itself', async () => {
    const now = Date.now();
    const window = `from=${new Date(now - 600_000).toISOString()}&to=${new Date(now + 600_000).toISOString()}&before=just`;
    const { measures } = await until(
      () => getJson(dusk.url, `/api/services/dusk-lantern/measures?${window}`),
      (it) => it.measures.some(({ name }: { name: string }) => name === 'dusk.heap'),
    );
    const heap = measures.find(({ name }: { name: string }) => name === 'dusk.heap');
    expect(heap.unit).toBe('By');
    expect(heap.lit).toBeGreaterThan(10 * 2 ** 20);
  });
});

describe('a queue', () => {
  const MINUTE = 60_000 * ms;
  const isoAt = (minute: number) => new Date(Number(EPOCH / 1_000_000n) + minute * 60_000).toISOString();
  /** One message: sent at a minute after the epoch, taken so many milliseconds later. */
  const message = (minute: number, waitMs: number): Span[] => {
    const from = minute * MINUTE;
    const traceId = (which: string) => idIn(`${which}${(minute + 10_000).toString(16)}`.padStart(32, '0'));
    const named = { 'messaging.system': 'tide', 'messaging.destination.name': 'slip-queue' };
    const sent = makeSpan({ id: 1, from, to: from + 2 * ms, service: 'slips', kind: 'producer', attributes: named });
    const at = sent.end + BigInt(waitMs * ms);
    const taken = makeSpan({ id: 2, from: 0, to: 20 * ms, service: 'cranes', kind: 'consumer', attributes: named });
    return [
      { ...sent, traceId: traceId('5e') },
      {
        ...taken,
        traceId: traceId('7a'),
        start: at,
        end: at + BigInt(20 * ms),
        links: [{ traceId: traceId('5e'), spanId: sent.spanId, traceState: '', attributes: {} }],
      },
    ];
  };

  it('in which messages waited for ten minutes of four hours says so, though few of all did', async () => {
    const isLate = (minute: number) => minute >= 100 && minute < 110;
    const minutes = Array.from({ length: 240 }, (_, minute) => minute);
    const lit = minutes.flatMap((minute) => message(minute, isLate(minute) ? 40_000 : 300));
    const before = minutes.flatMap((minute) => message(minute - 600, 300));
    await sendSpans(dusk.url, [...before, ...lit]);
    const windows = `from=${isoAt(0)}&to=${isoAt(240)}&before=${isoAt(-600)}/${isoAt(-360)}`;
    const { waits } = await getJson(dusk.url, `/api/peers/${encodeURIComponent('queue:slip-queue')}?${windows}`);
    expect(waits.lit.calls).toBeGreaterThan(150);
    // Of all messages it can't be told: nineteen of twenty were taken at once.
    expect(waits.lit.p95Ns).toBeLessThan(400 * ms);
    expect(waits).toMatchObject({ state: 'strained', basis: 'before' });
    expect(waits.worst.from).toBeGreaterThanOrEqual(Date.parse(isoAt(95)));
    expect(waits.worst.to).toBeLessThanOrEqual(Date.parse(isoAt(116)));
    expect(waits.worst.shifted / ms).toBeGreaterThan(30_000);
  });
});
