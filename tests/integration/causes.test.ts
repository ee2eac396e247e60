import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parseTraceId, type Span } from '../../src/core/trace/span.ts';
import { watchSources } from '../../src/server/watch/sources.ts';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { type Installation, install } from '../support/installation.ts';
import { event, logs } from '../support/made/otlpSignals.ts';
import { EPOCH, makeSpans, type Sketch } from '../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../support/sending.ts';

/*
 * Four quiet hours and forty minutes in which three things go wrong: a cache forgets, the way to a service is slow, and an operation that is seldom
 * called gets slow with a change.
 */

const MINUTE_NS = 60_000_000_000n;
const MS = 1e6;
const FIRST = Number(EPOCH / MINUTE_NS) + 1;
const ILL = FIRST + 240;
const END = ILL + 40;
const CHANGED = ILL - 90;
const CACHE = { 'db.system.name': 'keyvalue', 'db.operation.name': 'GET', 'server.address': 'fare-cache' };

let dusk: Installation;
let traces = 0;

function request(minute: number, part: number, sketches: readonly Sketch[]): Span[] {
  const traceId = parseTraceId(`7${(++traces).toString(16).padStart(31, '0')}`)!;
  const later = BigInt(minute) * MINUTE_NS + BigInt(Math.round(part * 6e10)) - EPOCH;
  return makeSpans(...sketches).map((span) => ({ ...span, traceId, start: span.start + later, end: span.end + later }));
}

/** Every tenth is missed, or nine of ten; what is missed is worked out, by the service itself. */
function price(minute: number, at: number): Span[] {
  const isMissed = minute < ILL ? (2 * minute + at) % 10 === 0 : (2 * minute + at) % 10 !== 0;
  const works = isMissed ? (minute < ILL ? 16 : 440) : 2;
  return request(minute, at / 2, [
    { id: 0, from: 0, to: (4 + works) * MS, service: 'fares', name: 'GET /prices', kind: 'server' },
    {
      id: 1,
      parent: 0,
      from: MS,
      to: 2 * MS,
      service: 'fares',
      kind: 'client',
      attributes: { ...CACHE, 'cache.hit': !isMissed },
    },
    { id: 2, parent: 0, from: 3 * MS, to: (3 + works) * MS, service: 'fares', name: 'price', kind: 'internal' },
  ]);
}

function manifest(minute: number, caller: string): Span[] {
  const way = minute < ILL ? 1 : 400;
  return request(minute, caller === 'holds' ? 0.3 : 0.6, [
    { id: 0, from: 0, to: (30 + 2 * way) * MS, service: caller, name: `GET /manifests of ${caller}`, kind: 'server' },
    { id: 1, parent: 0, from: 5 * MS, to: (25 + 2 * way) * MS, service: caller, kind: 'client' },
    { id: 2, parent: 1, from: (5 + way) * MS, to: (25 + way) * MS, service: 'manifests', name: 'GET /manifests', kind: 'server' },
  ]);
}

/** Called every third minute; none was under way in the minute of the change, an hour and a half before the others fell ill. */
function position(minute: number): Span[] {
  if ((minute - FIRST) % 3 !== 2) return [];
  const to = (minute >= CHANGED && minute < CHANGED + 40 ? 900 : 20) * MS;
  return request(minute, 0.5, [{ id: 0, from: 0, to, service: 'vessels', name: 'GET /position', kind: 'server' }]);
}

beforeAll(async () => {
  dusk = await install();
  const minutes = Array.from({ length: END - FIRST }, (_, at) => FIRST + at);
  for (let at = 0; at < minutes.length; at += 100)
    await sendSpans(
      dusk.url,
      minutes
        .slice(at, at + 100)
        .flatMap((minute) => [
          ...price(minute, 0),
          ...price(minute, 1),
          ...manifest(minute, 'holds'),
          ...manifest(minute, 'passes'),
          ...position(minute),
        ]),
    );
  const changed = { 'lantern.change.kind': 'deployment', 'lantern.change.title': 'vessels 6.2.0 on vessels-1' };
  await sendJson(dusk.url, '/v1/logs', logs('release-desk', [event('lantern.change', CHANGED * 60_000 + 5_000, changed)]));
}, 300_000);
afterAll(async () => {
  await closeConnections();
  await dusk?.stop();
});

const iso = (minute: number) => new Date(minute * 60_000).toISOString();

describe('where slowness starts, of what is stored', () => {
  it('is the cache that misses more, and the service to which the ways are slow', async () => {
    const { slowness } = await getJson(
      dusk.url,
      `/api/map/starts?from=${iso(ILL)}&to=${iso(END)}&before=${iso(FIRST)}/${iso(ILL)}`,
    );
    type Found = {
      node: string;
      starts: boolean;
      amount: number;
      through: string[];
      misses: object[];
      kinds: { kind: string }[];
    };
    const starts = (slowness.origins as Found[]).filter((it) => it.starts);
    expect(starts.map(({ node }) => node).sort()).toEqual(['cache:fare-cache', 'manifests']);
    const of = (node: string) => starts.find((it) => it.node === node)!;
    expect(of('cache:fare-cache').misses).toEqual([expect.objectContaining({ asker: 'fares', before: 0.1, lit: 0.9 })]);
    // 80 requests, of which 64 would have found what they missed.
    expect(of('cache:fare-cache').amount / MS).toBeCloseTo(64 * 438, 0);
    expect(of('manifests').kinds[0].kind).toBe('gap');
    expect([...of('manifests').through].sort()).toEqual(['holds', 'passes']);
    expect(of('manifests').amount / MS).toBeCloseTo(80 * 798, 0);
  });
});

describe('an incident', () => {
  it('begins with the change that came with it', async () => {
    await watchOnce(dusk.url, END - 1, watchSources());
    const { incidents } = await getJson(dusk.url, `/api/incidents?from=${iso(FIRST)}&to=${iso(END)}`);
    type Found = { shifts: { owner: string }[]; from: number; fromRange: [number, number] };
    const ofVessels = (incidents as Found[]).find(({ shifts }) => shifts.some(({ owner }) => owner === 'vessels'))!;
    expect(ofVessels.from).toBe(CHANGED * 60_000);
    // By its calls alone it began two minutes later, or at any time since the last good one.
    const [from, to] = ofVessels.fromRange;
    expect(from).toBeLessThanOrEqual(CHANGED * 60_000);
    expect(to).toBeGreaterThanOrEqual((CHANGED + 3) * 60_000);
  });
});
