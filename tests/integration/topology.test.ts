import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { LayoutAnswer } from '../../src/api/map/layout.ts';
import { layOut } from '../../src/core/maps/layOut.ts';
import type { CallSum } from '../../src/core/measures/callSum.ts';
import { quantiles } from '../../src/core/measures/sketch.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { requestSegments } from '../../src/store/columns/requestSegments.ts';
import { trafficHours } from '../../src/store/columns/trafficHours.ts';
import { closeConnections, connections } from '../../src/store/database/connection.ts';
import { operationTraffic } from '../../src/store/requests/operationTraffic.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { type MadeSystem, madeSystem } from '../support/made/madeSystem.ts';
import { EPOCH } from '../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../support/sending.ts';

/* The map as the application answers it, against counts that were made while the spans were: sent in pieces, in any order, twice. */

let dusk: Installation;
let system: MadeSystem;
let spans: Span[];
const MINUTE_NS = 60_000_000_000n;
const at = (minutes: number) => new Date(Number((EPOCH + BigInt(minutes) * MINUTE_NS) / 1_000_000n)).toISOString();
/** All spans lie in the lit window; the time before is empty. */
const WINDOWS = `from=${at(-5)}&to=${at(30)}&before=${at(-65)}/${at(-30)}`;
const CHANNELS = ['web', 'phone', 'kiosk'];

beforeAll(async () => {
  dusk = await install();
  system = madeSystem(4711, 120);
  const traces = [...system.before, ...system.lit];
  spans = traces.flatMap((trace, number) =>
    trace.map((span) => ({
      ...span,
      attributes: { ...span.attributes, ...(span.parentSpanId === null ? { 'ferry.channel': CHANNELS[number % 3] } : {}) },
      resource: {
        ...span.resource,
        'service.instance.id': `${span.service}-${number % 2}`,
        'service.version': number % 2 === 0 ? '1.0' : '2.0',
        'service.namespace': span.service.endsWith('1') ? 'Harbour' : 'Booking',
      },
    })),
  );
  // Each service sends for itself, as in life, and callees before or after their callers.
  const bySender = new Map<string, Span[]>();
  for (const span of spans) {
    const sender = `${span.service} ${Number(BigInt(`0x${span.spanId}`) % 3n)}`;
    bySender.set(sender, [...(bySender.get(sender) ?? []), span]);
  }
  const requests = [...bySender.values()].sort((a, b) => (a[0].spanId < b[0].spanId ? 1 : -1));
  const four = Array.from({ length: 4 }, (_, sender) => requests.filter((_it, number) => number % 4 === sender));
  await Promise.all(
    four.map(async (some) => {
      for (const request of some) await sendSpans(dusk.url, request);
    }),
  );
  // What comes twice counts once.
  await sendSpans(dusk.url, requests[0]);
  await sendSpans(dusk.url, [...requests[1], ...requests[2].slice(0, 3)]);
}, 900_000);
afterAll(() => dusk?.stop());

interface Sum {
  readonly calls: number;
  readonly failures: number;
}
interface Answer {
  readonly nodes: {
    id: string;
    kind: string;
    service: string | null;
    namespace: string | null;
    members: string[];
    lit: Sum;
    turn: string;
  }[];
  readonly edges: {
    from: string;
    to: string;
    lit: Sum & { meanNs: number | null };
    litCallee: Sum & { meanNs: number | null };
  }[];
  readonly lit: { requests: number; read: number };
}
const map = (more = ''): Promise<Answer> => getJson(dusk.url, `/api/map?${WINDOWS}${more}`);
const callsOf = ({ edges }: Answer) => new Map(edges.map(({ from, to, lit }) => [`${from} > ${to}`, lit.calls]));

/** Calls counted from the spans themselves, in another way than the application does: by looking up each span's parent. */
function recounted(of: readonly Span[]): {
  handled: Map<string, number>;
  pairs: Map<string, number>;
  failed: Map<string, number>;
} {
  const byId = new Map(of.map((span) => [span.spanId as string, span]));
  const handled = new Map<string, number>();
  const pairs = new Map<string, number>();
  const failed = new Map<string, number>();
  const add = (counts: Map<string, number>, key: string) => counts.set(key, (counts.get(key) ?? 0) + 1);
  const taken = new Set<string>();
  for (const span of of) {
    if (span.kind === 'client') continue;
    if (span.kind === 'producer') add(pairs, `${span.service} > queue:${span.attributes['messaging.destination.name']}`);
    if (span.kind === 'consumer') add(pairs, `queue:${span.attributes['messaging.destination.name']} > ${span.service}`);
    if (span.kind === 'producer') continue;
    add(handled, span.service);
    if (span.status === 'error') add(failed, span.service);
    const parent = span.parentSpanId && byId.get(span.parentSpanId);
    if (!parent || span.kind !== 'server') continue;
    taken.add(parent.spanId);
    add(pairs, `${parent.service} > ${span.service}`);
  }
  for (const span of of)
    if (span.kind === 'client' && !taken.has(span.spanId)) {
      const name = String(span.attributes['server.address']);
      add(pairs, `${span.service} > ${span.attributes['db.system.name'] ? `database:${name}` : name}`);
    }
  return { handled, pairs, failed };
}

describe('the layout of a map', () => {
  const layout = async (body: object) => (await sendJson(dusk.url, '/api/map/layout', body)) as unknown as LayoutAnswer;

  it('is what the same nodes and calls give when they are laid out here', async () => {
    const { nodes, edges } = await map();
    const ids = nodes.map(({ id }) => id);
    const calls = edges.map(({ from, to }) => [ids.indexOf(from), ids.indexOf(to)]);
    const named = edges.map(({ from, to }, key) => ({ key: String(key), from, to }));
    for (const direction of ['right', 'down'] as const) {
      const answer = await layout({ ids, calls, direction });
      const { plates } = await layOut(ids, named, direction);
      expect(answer.plates.map(([x, y]) => [Math.round(x), Math.round(y)])).toEqual(
        ids.map((id) => [Math.round(plates.get(id)!.x), Math.round(plates.get(id)!.y)]),
      );
      expect(answer.ways).toHaveLength(edges.length);
    }
  });

  it('refuses calls of nobody, a node that is named twice, and more than one page can draw', async () => {
    const refusal = (body: object) => layout(body).catch((error: Error) => error.message);
    expect(await refusal({ ids: ['holds'], calls: [[0, 1]], direction: 'right' })).toContain('ids has only 1');
    expect(await refusal({ ids: ['holds', 'holds'], calls: [], direction: 'right' })).toContain('each id once');
    const many = Array.from({ length: 1_501 }, (_, at) => `s${at}`);
    expect(await refusal({ ids: many, calls: [], direction: 'right' })).toContain('cannot be laid out');
  });
});

describe('the map of all traffic', () => {
  it('has every node and call, as they were counted while they were made', async () => {
    const answer = await map();
    expect(callsOf(answer)).toEqual(system.calls);
    const services = answer.nodes.filter(({ kind }) => kind === 'service');
    expect(new Map(services.map(({ id, lit }) => [id, lit.calls]))).toEqual(system.handled);
    const again = recounted(spans);
    expect(callsOf(answer)).toEqual(again.pairs);
    expect(new Map(services.filter(({ lit }) => lit.failures > 0).map(({ id, lit }) => [id, lit.failures]))).toEqual(
      again.failed,
    );
    expect(answer.nodes.every(({ turn }) => turn === 'new' || turn === 'stays')).toBe(true);
  });

  it('knows both sides of each call between services, the callee’s within the caller’s', async () => {
    const { edges, nodes } = await map();
    const services = new Set(nodes.filter(({ kind }) => kind === 'service').map(({ id }) => id));
    const between = edges.filter(({ from, to }) => services.has(from) && services.has(to));
    expect(between.length).toBeGreaterThan(2);
    for (const { lit, litCallee } of between) {
      expect(litCallee.calls).toBe(lit.calls);
      if (lit.meanNs !== null) expect(litCallee.meanNs!).toBeLessThan(lit.meanNs);
    }
  });

  it('is the same again when whole hours are remembered', async () => {
    const day = `/api/map?from=${at(-600)}&to=${at(700)}&before=${at(-700)}/${at(-600)}`;
    const first: Answer = await getJson(dusk.url, day);
    expect(callsOf(first)).toEqual(system.calls);
    expect(await getJson(dusk.url, day)).toEqual(first);
  });
});

describe('the map of a part of the requests', () => {
  it.each(CHANNELS)('equals a recount from the spans of the requests by %s', async (channel) => {
    const ids = new Set(spans.filter((span) => span.attributes['ferry.channel'] === channel).map((span) => span.traceId));
    const own = recounted(spans.filter((span) => ids.has(span.traceId)));
    const answer = await map(`&where=ferry.channel is ${channel}`);
    expect(callsOf(answer)).toEqual(own.pairs);
    expect(answer.lit).toMatchObject({ requests: ids.size, read: ids.size });
  });

  it('by operation has the same calls', async () => {
    const answer = await map('&level=operations');
    const total = (it: Answer) => it.edges.reduce((sum, { lit }) => sum + lit.calls, 0);
    expect(total(answer)).toBe(total(await map()));
    expect(answer.nodes.filter(({ service }) => service === 'part-0').map(({ id }) => id)).toContain('part-0\nhandle part-0');
  });

  it('splits into the failed and the rest', async () => {
    const [failed, all] = [await map('&of=failed'), await map()];
    const roots = spans.filter((span) => span.parentSpanId === null && span.status === 'error');
    expect(failed.lit.read).toBe(roots.length);
    const entry = (it: Answer, side: 'lit' | 'before') =>
      (it.nodes.find(({ id }) => id === 'part-0') as unknown as Record<string, Sum>)[side].calls;
    expect(entry(failed, 'lit') + entry(failed, 'before')).toBe(entry(all, 'lit'));
  });

  it('draws teams as one, and opens one of them', async () => {
    const grouped = await map('&group=namespace');
    expect(grouped.nodes.filter(({ kind }) => kind === 'service')).toEqual([]);
    expect(
      grouped.nodes
        .filter(({ kind }) => kind === 'group')
        .flatMap(({ members }) => members)
        .sort(),
    ).toEqual([...system.handled.keys()].sort());
    const opened = await map('&group=namespace&open=Harbour');
    expect(new Set(opened.nodes.filter(({ kind }) => kind === 'service').map(({ namespace }) => namespace))).toEqual(
      new Set(['Harbour']),
    );
  });

  it('counts no client error as a failure when they are hidden', async () => {
    const answer = await map('&clientErrors=hidden');
    expect(callsOf(answer)).toEqual(system.calls);
  });
});

describe('one service', () => {
  const service = (name: string, more = '') => getJson(dusk.url, `/api/services/${encodeURIComponent(name)}?${WINDOWS}${more}`);

  it('has its requests by instance, version and operation, each summing to all', async () => {
    const of = spans.filter((span) => span.service === 'part-1' && span.kind !== 'client' && span.kind !== 'producer');
    const answer = await service('part-1');
    const sum = (rows: { lit: Sum }[]) => rows.reduce((all, { lit }) => all + lit.calls, 0);
    expect(answer.lit.calls).toBe(of.length);
    expect([sum(answer.instances), sum(answer.versions)]).toEqual([of.length, of.length]);
    expect(answer.instances.map((it: { instance: string }) => it.instance)).toEqual(['part-1-0', 'part-1-1']);
    const handling = answer.operations.filter(({ kind }: { kind: string }) => kind === 'server' || kind === 'consumer');
    expect(sum(handling)).toBe(of.length);
    expect(answer.series.lit.reduce((all: number, it: Sum) => all + it.calls, 0)).toBe(of.length);
    expect(answer.namespace).toBe('Harbour');
  });

  it('says where its time goes, adding up to its mean', async () => {
    const { lit } = await getJson(dusk.url, `/api/services/part-1/time?${WINDOWS}`);
    const of = spans.filter((span) => span.service === 'part-1' && span.kind === 'server');
    const mean = of.reduce((sum, span) => sum + Number(span.end - span.start), 0) / of.length;
    expect(lit.meanNs / mean).toBeCloseTo(1, 6);
    expect(lit.lines.reduce((sum: number, line: { ns: number }) => sum + line.ns, 0) / lit.meanNs).toBeCloseTo(1, 6);
  });

  it('has the same figures when they are counted from the traces as from the rollups', async () => {
    for (const name of ['part-0', 'part-1', 'part-2']) {
      // Rollups show stretches of the window, traces only the whole: the verdicts may differ.
      const figures = (it: object) =>
        ({ ...it, state: '', changed: '', basis: '', worst: '', moreCalls: '' }) as Awaited<ReturnType<typeof service>>;
      const { requests: all, ...tallied } = figures(await service(name));
      const { requests, ...counted } = figures(await service(name, `&where=ferry.channel is ${CHANNELS.join(',')}`));
      expect(counted).toEqual(tallied);
      const traces = new Set(spans.filter((span) => span.service === name).map(({ traceId }) => traceId)).size;
      expect([requests.lit, requests.litOf, all.litOf]).toEqual([traces, traces, new Set(spans.map((it) => it.traceId)).size]);
    }
  });

  it('follows the chips: a recount of the requests of one channel alone', async () => {
    const ids = new Set(spans.filter((span) => span.attributes['ferry.channel'] === 'kiosk').map((span) => span.traceId));
    const own = spans.filter((span) => ids.has(span.traceId) && span.service === 'part-1');
    const handling = own.filter(({ kind }) => kind === 'server' || kind === 'consumer');
    const answer = await service('part-1', '&where=ferry.channel is kiosk');
    expect(answer.lit).toMatchObject({
      calls: handling.length,
      failures: handling.filter(({ status }) => status === 'error').length,
    });
    const tally = (rows: { lit: Sum; instance: string }[]) => Object.fromEntries(rows.map((it) => [it.instance, it.lit.calls]));
    const expected: Record<string, number> = {};
    for (const { resource } of handling) {
      const instance = String(resource['service.instance.id']);
      expected[instance] = (expected[instance] ?? 0) + 1;
    }
    expect(tally(answer.instances)).toEqual(expected);
    expect(answer.operations.reduce((sum: number, it: { lit: Sum }) => sum + it.lit.calls, 0)).toBe(own.length);
  });

  it('that has sent nothing is not found', async () => {
    await expect(service('nobody')).rejects.toThrow(/404.*nobody/);
  });
});

describe('the services of Now', () => {
  const services = async (more = ''): Promise<{ rows: Map<string, number>; read: unknown }> => {
    const answer = await getJson(dusk.url, `/api/now?${WINDOWS}&services=counted${more}`);
    const rows = new Map<string, number>(answer.services.map((it: { name: string; lit: Sum }) => [it.name, it.lit.calls]));
    return { rows, read: answer.servicesRead };
  };

  it('have what each handled, of all requests and of those of one channel', async () => {
    expect(await services()).toEqual({ rows: system.handled, read: null });
    const ids = new Set(spans.filter((span) => span.attributes['ferry.channel'] === 'web').map((span) => span.traceId));
    const own = recounted(spans.filter((span) => ids.has(span.traceId)));
    expect(await services('&where=ferry.channel is web')).toEqual({
      rows: own.handled,
      read: { read: ids.size, of: ids.size },
    });
  });

  it('are not counted unless they are asked for', async () => {
    const answer = await getJson(dusk.url, `/api/now?${WINDOWS}&where=ferry.channel is web`);
    expect([answer.services, answer.servicesRead]).toEqual([[], null]);
    expect(answer.journeys.length).toBeGreaterThan(0);
  });
});

describe('an example behind a chart of a service', () => {
  const isEntered = ({ kind, parentSpanId }: Span) => kind === 'server' || kind === 'consumer' || parentSpanId === null;

  it('is the request that took nearest to so long, of all or of those that a chip leaves', async () => {
    const service = spans.find(({ kind }) => kind === 'server')!.service;
    const handled = spans.filter((span) => span.service === service && isEntered(span));
    const chosen = handled[Math.floor(handled.length / 2)];
    const took = Number(chosen.end - chosen.start);
    const path = `/api/services/${encodeURIComponent(service)}/example?from=${at(-5)}&to=${at(30)}&durationNs=${took}`;
    const found = await getJson(dusk.url, path);
    expect([found.durationNs, found.by]).toEqual([took, 'span']);
    expect(spans.find(({ spanId }) => spanId === found.spanId)).toMatchObject({ traceId: found.traceId, service });

    const ofRoot = new Map(spans.filter(({ parentSpanId }) => parentSpanId === null).map((root) => [root.traceId, root]));
    const onWeb = handled.filter(({ traceId }) => ofRoot.get(traceId)?.attributes['ferry.channel'] === 'web');
    const nearest = Math.min(...onWeb.map(({ start, end }) => Math.abs(Math.log(Number(end - start) / took))));
    const narrowed = await getJson(dusk.url, `${path}&where=${encodeURIComponent('ferry.channel is web')}`);
    expect(Math.abs(Math.log(narrowed.durationNs / took))).toBeCloseTo(nearest, 9);
  });

  it('is what the service itself named with its durations, where it did and that is kept', async () => {
    const chosen = spans.find(({ kind }) => kind === 'server')!;
    const seconds = Number(chosen.end - chosen.start) / 1e9;
    const nano = (minutes: number) => String(EPOCH + BigInt(minutes) * MINUTE_NS);
    const exemplar = (span: Pick<Span, 'traceId' | 'spanId'>, value: number) => ({
      timeUnixNano: nano(3),
      asDouble: value,
      traceId: span.traceId,
      spanId: span.spanId,
    });
    // The nearer one names a trace that is not kept.
    const lost = { traceId: 'f'.repeat(32) as Span['traceId'], spanId: 'f'.repeat(16) as Span['spanId'] };
    const dataPoint = {
      startTimeUnixNano: nano(2),
      timeUnixNano: nano(3),
      count: '2',
      sum: 2 * seconds,
      explicitBounds: [1],
      bucketCounts: ['2', '0'],
      exemplars: [exemplar(lost, seconds), exemplar(chosen, seconds * 1.01)],
    };
    await sendJson(dusk.url, '/v1/metrics', {
      resourceMetrics: [
        {
          resource: { attributes: [{ key: 'service.name', value: { stringValue: chosen.service } }] },
          scopeMetrics: [
            {
              metrics: [
                {
                  name: 'http.server.request.duration',
                  unit: 's',
                  histogram: { aggregationTemporality: 1, dataPoints: [dataPoint] },
                },
              ],
            },
          ],
        },
      ],
    });
    const path = `/api/services/${encodeURIComponent(chosen.service)}/example?from=${at(-5)}&to=${at(30)}&durationNs=${Math.round(seconds * 1e9)}`;
    expect(await getJson(dusk.url, path)).toMatchObject({ traceId: chosen.traceId, spanId: chosen.spanId, by: 'exemplar' });
  });
});

it('shows a peer from the side of its callers', async () => {
  const [[pair, calls]] = [...system.calls].filter(([it]) => it.includes('> database:'));
  const id = pair.split(' > ')[1];
  const all = [...system.calls].filter(([it]) => it.endsWith(`> ${id}`));
  const answer = await getJson(dusk.url, `/api/peers/${encodeURIComponent(id)}?${WINDOWS}`);
  expect(answer).toMatchObject({ kind: 'database', lit: { calls: all.reduce((sum, [, count]) => sum + count, 0) } });
  expect(answer.callers.find(({ from }: { from: string }) => from === pair.split(' > ')[0]).lit.calls).toBe(calls);
  expect(answer.series.lit.reduce((sum: number, it: Sum) => sum + it.calls, 0)).toBe(answer.lit.calls);
  // The same from the traces as from the rollups.
  const { requests, ...tallied } = answer;
  const { requests: _, ...counted } = await getJson(
    dusk.url,
    `/api/peers/${encodeURIComponent(id)}?${WINDOWS}&where=ferry.channel is ${CHANNELS.join(',')}`,
  );
  expect(requests.lit).toBe(requests.litOf);
  expect(counted).toEqual(tallied);
});

it('says of one request what it touched', async () => {
  const traceId = spans[0].traceId;
  const own = recounted(spans.filter((span) => span.traceId === traceId));
  const answer = await getJson(dusk.url, `/api/traces/${traceId}/map`);
  expect(
    new Map(answer.edges.map((it: { from: string; to: string; calls: number }) => [`${it.from} > ${it.to}`, it.calls])),
  ).toEqual(own.pairs);
  expect(answer.nodes.reduce((sum: number, it: { share: number }) => sum + it.share, 0)).toBeCloseTo(1, 9);
});

it('answers what starts the trouble with shares and traces', async () => {
  const answer = await getJson(dusk.url, `/api/map/starts?${WINDOWS}`);
  const roots = spans.filter((span) => span.parentSpanId === null && span.kind === 'server');
  expect(answer.failures.failing).toBe(roots.filter((span) => span.status === 'error').length);
  for (const it of answer.failures.origins) expect(it.traces.length).toBeGreaterThan(0);
  const services = new Set(answer.time.map((it: { service: string }) => it.service));
  expect([...system.handled.keys()].every((name) => services.has(name))).toBe(true);
});

it('where the time of services goes is the same from the parts of a window as from the whole of it, and when it is asked for again', async () => {
  interface Time {
    meanNs: number;
    requests: number;
    lines: { kind: string; party: string; ns: number }[];
  }
  /** By service and line the whole time in seconds, and how many requests. */
  const timesIn = async (...windows: [number, number][]) => {
    const sums = new Map<string, number>();
    const add = (key: string, amount: number) => sums.set(key, (sums.get(key) ?? 0) + amount);
    for (const [from, to] of windows) {
      const answer = await getJson(dusk.url, `/api/map/starts?from=${at(from)}&to=${at(to)}&before=${at(-65)}/${at(-30)}`);
      for (const { service, lit } of answer.time as { service: string; lit: Time | null }[]) {
        if (!lit) continue;
        add(service, lit.requests);
        for (const { kind, party, ns } of lit.lines) add(`${service} ${kind} ${party}`, (ns * lit.requests) / 1e9);
      }
    }
    return new Map([...sums].sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, sum]) => [key, sum.toFixed(6)]));
  };
  const halves = await timesIn([-5, 13], [13, 30]);
  expect(halves.size).toBeGreaterThan(10);
  expect(await timesIn([-5, 30])).toEqual(halves);
  // Not a window that was answered before: what is in it was looked at before.
  expect(await timesIn([-6, 31])).toEqual(halves);
});

describe('the map of operations', () => {
  const [from, to] = [EPOCH - 90n * MINUTE_NS, EPOCH + 130n * MINUTE_NS];
  /** Who called whom how often, and how long it took as both sides measured it. */
  const callsOf = async () => {
    const { traffic, requests } = await operationTraffic(from, to);
    const figures = ({ calls, failures, okNs, sketch }: CallSum) => [calls, failures, okNs, quantiles(sketch, [0.5, 0.95])];
    const calls = traffic.calls.flatMap((call) => [
      JSON.stringify([call.from, call.peer, call.kind, figures(call.all)]),
      ...[...call.takers].map(([taker, { caller, callee }]) =>
        JSON.stringify([call.from, call.peer, taker, figures(caller), figures(callee)]),
      ),
    ]);
    return { requests, calls: calls.sort(), handled: [...traffic.handled].map((it) => `${it[0]} ${it[1].calls}`).sort() };
  };
  const client = () => connections();

  it('is the same from hours that were added up, of a day that had no table for them too, and when spans come later', async () => {
    process.env.DATABASE_URL = dusk.cluster.url;
    await client().query('DELETE FROM request_traffic_segment');
    const direct = await callsOf();
    expect(direct.calls.length).toBeGreaterThan(5);
    const { rows } = await client().query(
      `SELECT inhrelid::regclass::text AS name FROM pg_inherits WHERE inhparent = 'request_traffic_segment'::regclass`,
    );
    for (const { name } of rows) await client().query(`DROP TABLE ${name}`);
    for (let more = true; more; ) more = (await requestSegments.settle(60_000)) || (await trafficHours.settle(60_000));
    const stored = async () =>
      (await client().query('SELECT count(*)::int AS hours, sum(rows)::int AS rows FROM request_traffic_segment')).rows[0];
    await until(stored, ({ hours, rows: written }) => hours >= 1 && written > 5);
    const sums = await callsOf();
    expect(sums).toEqual(direct);
    const largest = [...system.lit].sort((a, b) => b.length - a.length)[0];
    const late = largest.map((span) => ({ ...span, traceId: 'ab'.repeat(16) as Span['traceId'] }));
    await sendSpans(dusk.url, late);
    const now = await callsOf();
    expect(now.requests).toBe(direct.requests + 1);
    expect(now.calls).not.toEqual(direct.calls);
    await client().query('DELETE FROM request_traffic_segment');
    expect(await callsOf()).toEqual(now);
    await closeConnections();
  });
});
