import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encodeMetricsProtobuf, type OutgoingPoint } from '../../../src/formats/otlp/record/encodeMetrics.ts';
import { sendOtlp } from '../../../src/formats/otlp/wire/send.ts';
import { type Installation, install } from '../../support/installation.ts';
import { getJson } from '../../support/sending.ts';

/* Pools of two instances for forty minutes: in the second half each connection is held thirty times longer, and ten became four before that. */

const MINUTE = 60_000;
const START = Math.floor(Date.now() / MINUTE) * MINUTE - 60 * MINUTE;
const RESIZED = START + 15 * MINUTE;
const TURN = START + 20 * MINUTE;
const END = START + 40 * MINUTE;
const iso = (ms: number) => new Date(ms).toISOString();
const WINDOW = `from=${iso(TURN)}&to=${iso(END)}&before=${iso(START)}/${iso(RESIZED)}`;
const BOUNDS = Array.from({ length: 61 }, (_, at) => Number((0.001 * 1.2 ** at).toPrecision(4)));

let dusk: Installation;

const histogram = (values: readonly number[]): OutgoingPoint['value'] => {
  const counts = new Array<number>(BOUNDS.length + 1).fill(0);
  for (const value of values) {
    const at = BOUNDS.findIndex((bound) => value <= bound);
    counts[at < 0 ? BOUNDS.length : at]++;
  }
  return { kind: 'histogram', bounds: BOUNDS, counts, sum: values.reduce((sum, it) => sum + it, 0), exemplars: [] };
};

const REQUESTS = 300;
const heldAt = (at: number) => Array.from({ length: REQUESTS }, (_, n) => (at >= TURN ? 30 : 1) * (0.015 + 0.0001 * (n % 100)));
const waitedAt = (at: number) => Array.from({ length: REQUESTS }, (_, n) => (at >= TURN ? 0.01 * n : 0));

beforeAll(async () => {
  dusk = await install();
  const points: OutgoingPoint[] = [];
  for (const instance of ['manifests-1', 'manifests-2'])
    for (let at = START; at < END; at += MINUTE) {
      const resource = { 'service.name': 'manifests', 'service.instance.id': instance };
      const put = (name: string, unit: string, value: OutgoingPoint['value'], attributes = {}) =>
        points.push({
          resource,
          scope: { name: 'test', version: '1' },
          name: `db.client.connection.${name}`,
          unit,
          attributes: { 'db.client.connection.pool.name': 'main', 'server.address': 'manifest-db', ...attributes },
          start: BigInt(at - MINUTE) * 1_000_000n,
          time: BigInt(at) * 1_000_000n,
          value,
        });
      const gauge = (number: number): OutgoingPoint['value'] => ({ kind: 'gauge', number });
      put('max', '{connection}', gauge(at >= RESIZED ? 4 : 10));
      put('count', '{connection}', gauge(at >= TURN ? 3.9 : 0.1), { 'db.client.connection.state': 'used' });
      put('count', '{connection}', gauge(0.1), { 'db.client.connection.state': 'idle' });
      put('pending_requests', '{request}', gauge(at >= TURN ? 7 : 0));
      put('wait_time', 's', histogram(waitedAt(at)));
      put('use_time', 's', histogram(heldAt(at)));
    }
  points.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
  const byInstance = ['manifests-1', 'manifests-2'].map((id) =>
    points.filter(({ resource }) => resource['service.instance.id'] === id),
  );
  for (const some of byInstance) await sendOtlp(dusk.url, 'metrics', encodeMetricsProtobuf(some));
});
afterAll(() => dusk?.stop());

const mean = (values: readonly number[]) => values.reduce((sum, it) => sum + it, 0) / values.length;

describe('pools', () => {
  it('have the figures that were sent, lit against before, by the names of the semantic conventions', async () => {
    const { pools } = await getJson(dusk.url, `/api/pools?${WINDOW}`);
    expect(pools).toHaveLength(1);
    const [{ lit, before, ...pool }] = pools;
    expect(pool).toEqual({ service: 'manifests', name: 'main', server: 'manifest-db', instances: 2, worst: null });
    expect([lit.size, before.size]).toEqual([4, 10]);
    expect([lit.used, lit.pending]).toEqual([expect.closeTo(3.9, 9), 7]);
    expect(lit.arrivals).toBeCloseTo((2 * REQUESTS) / 60, 9);
    expect(lit.holdMean).toBeCloseTo(mean(heldAt(TURN)), 9);
    expect(before.holdMean).toBeCloseTo(mean(heldAt(START)), 9);
    // The 95th of a hundred even steps, to the width of a bucket.
    expect(Math.abs(Math.log(lit.waitP95 / 2.85))).toBeLessThan(Math.log(1.2));
    expect(before.waitP95).toBe(0);
  });

  it('say what moved first, and how many connections it takes', async () => {
    const it = await getJson(dusk.url, `/api/pools/manifests/main?${WINDOW}`);
    const order = it.moved.map(({ what, at }: { what: string; at: number }) => [what, at]);
    expect(order).toEqual([
      ['size', RESIZED],
      ['holds', TURN],
      ['full', TURN],
      ['full', TURN],
    ]);
    const { points, enough, least } = it.sizing.lit;
    // Five requests a second that hold for 0.6 s keep three connections busy.
    expect(least).toBe(Math.floor((REQUESTS / 60) * mean(heldAt(TURN))) + 1);
    expect(enough).toBeGreaterThan(least);
    const p95 = (size: number) => points.find((point: { size: number }) => point.size === size).p95;
    expect(p95(enough)).toBeLessThanOrEqual(0.2);
    expect(p95(enough - 1)).toBeGreaterThan(0.2);
    // Ten would have done with these hold times, and four with those of before.
    expect(
      it.alone.map(({ size, before, lit }: { size: number; before: number; lit: number }) => [size, before < 0.01, lit < 0.2]),
    ).toEqual([
      [10, true, true],
      [4, true, false],
    ]);
    // Two or three stretches of ten minutes of the clock.
    expect([2, 3]).toContain(it.measured.length);
  });

  it('that nobody measures are not known', async () => {
    const answer = await fetch(`${dusk.url}/api/pools/manifests/other?${WINDOW}`);
    expect(answer.status).toBe(404);
    expect((await answer.json()).error).toMatch(/No measures of a pool "other"/);
  });
});
