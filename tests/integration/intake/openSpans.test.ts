import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Around } from '../../../src/api/now/around.ts';
import { type Installation, install } from '../../support/installation.ts';
import { getJson, sendJson } from '../../support/sending.ts';

/* Spans that are sent before they end: their requests are shown as running, and are not counted yet. */

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk?.stop());

const TRACE = 'c0ffee00'.repeat(4);
const NOW = Date.now();
const nano = (ms: number) => String(BigInt(ms) * 1_000_000n);
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });

function spans(...of: object[]) {
  const resource = { attributes: [text('service.name', 'berths'), text('service.instance.id', 'berths-1')] };
  return { resourceSpans: [{ resource, scopeSpans: [{ spans: of }] }] };
}
const SERVER = {
  traceId: TRACE,
  spanId: 'a'.repeat(16),
  name: 'POST /berths/allocations',
  kind: 2,
  startTimeUnixNano: nano(NOW - 9_000),
};
const CLIENT = {
  traceId: TRACE,
  spanId: 'b'.repeat(16),
  parentSpanId: SERVER.spanId,
  name: 'SELECT free berths',
  kind: 3,
  startTimeUnixNano: nano(NOW - 8_000),
  attributes: [text('db.system.name', 'postgresql')],
};
const OTHER = {
  ...SERVER,
  traceId: 'd00d1e00'.repeat(4),
  name: 'GET /berths',
  startTimeUnixNano: nano(NOW - 5_000),
  endTimeUnixNano: nano(NOW - 4_000),
};

async function running(): Promise<{ operation: string; step: string; wait: string; ageMs: number }[]> {
  const from = new Date(NOW - 3_600_000).toISOString();
  const to = new Date(Date.now() + 1_000).toISOString();
  const { places } = await getJson(dusk.url, `/api/code/running?from=${from}&to=${to}`);
  return places.flatMap(({ requests }: { requests: unknown[] }) => requests);
}
async function inFlight(): Promise<Around['inFlight']> {
  const from = new Date(NOW - 3_600_000).toISOString();
  return (await getJson(dusk.url, `/api/now/around?from=${from}&to=${new Date(Date.now() + 1_000).toISOString()}`)).inFlight;
}

it('run until they come with an end, however often they are told in the same words', async () => {
  expect(await running()).toEqual([]);
  await sendJson(dusk.url, '/v1/traces', spans(SERVER));
  expect(await running()).toMatchObject([{ operation: 'POST /berths/allocations', step: '', wait: '' }]);
  for (let times = 0; times < 2; times++) {
    const answer = await sendJson(dusk.url, '/v1/traces', spans(SERVER, CLIENT, OTHER));
    expect(answer.partialSuccess).toBeUndefined();
  }
  const [it, ...others] = await running();
  expect(others).toEqual([]);
  expect(it).toMatchObject({ operation: 'POST /berths/allocations', step: 'SELECT free berths', wait: 'database' });
  expect(it.ageMs).toBeGreaterThanOrEqual(9_000);
  expect(await inFlight()).toMatchObject({ count: 1, oldest: [{ service: 'berths', traceId: TRACE }] });
  // The one that has ended is a request, and came once; the others are none yet.
  const health = await getJson(dusk.url, '/api/health');
  expect(health.spans).toBe(1);

  await sendJson(dusk.url, '/v1/traces', spans({ ...CLIENT, endTimeUnixNano: nano(NOW - 500) }));
  expect(await running()).toHaveLength(1);
  const timeline = await getJson(dusk.url, `/api/traces/${TRACE}/timeline`);
  expect(timeline.running).toMatchObject([{ service: 'berths', operation: 'POST /berths/allocations' }]);
  await sendJson(dusk.url, '/v1/traces', spans({ ...SERVER, endTimeUnixNano: nano(NOW) }));
  expect(await running()).toEqual([]);
  expect((await inFlight()).count).toBe(0);
  const whole = await getJson(dusk.url, `/api/traces/${TRACE}`);
  expect(whole.spans).toHaveLength(2);
  expect((await getJson(dusk.url, `/api/traces/${TRACE}/timeline`)).running).toEqual([]);
});
