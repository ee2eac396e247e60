import { afterAll, beforeAll, expect, it } from 'vitest';
import { watchSources } from '../../src/server/watch/sources.ts';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { type Installation, install } from '../support/installation.ts';
import { event, logs } from '../support/made/otlpSignals.ts';
import { getJson, sendJson } from '../support/sending.ts';

/* Trouble that only visitors' browsers and phones feel: no service has a part in it. */

const MINUTE = 60_000;
const END = Math.floor(Date.now() / MINUTE) - 5;
const HOURS = 6;
const BEGAN = END - 40;
let dusk: Installation;

beforeAll(async () => {
  dusk = await install();
  process.env.DATABASE_URL = dusk.cluster.url;
});
afterAll(async () => {
  await closeConnections();
  await dusk?.stop();
});

const visit = (minute: number, second: number, kind: string, ms?: number) =>
  event('lantern.visit', minute * MINUTE + second * 1000, {
    'session.id': `v${minute}-${second}`,
    'lantern.visit.kind': kind,
    'url.path': '/manifest',
    'lantern.visit.order': 1,
    ...(ms === undefined ? {} : { 'lantern.visit.duration_ms': ms }),
  });

/** Minutes of views; those of the second app become slow, those of the first crash. */
async function send(from: number, to: number): Promise<void> {
  const minutes = Array.from({ length: to - from }, (_, at) => from + at);
  const views = (slow: number) =>
    minutes.flatMap((minute) => [0, 7, 14, 21, 28, 35, 42, 49].map((at) => visit(minute, at, 'page', slow * (900 + 13 * at))));
  const crashes = from >= BEGAN ? minutes.map((minute) => visit(minute, 50, 'crash')) : [];
  await sendJson(dusk.url, '/v1/logs', logs('deck-app', [...views(1), ...crashes]));
  await sendJson(dusk.url, '/v1/logs', logs('quayside-web', views(from >= BEGAN ? 3 : 1)));
}

it('is an incident of its pages, which needs no request, and is brought up to date as more comes', async () => {
  for (let from = END - HOURS * 60; from < BEGAN; from += 60) await send(from, Math.min(from + 60, BEGAN));
  const read = watchSources();
  const week = `/api/incidents?from=${new Date((END - 1440) * MINUTE).toISOString()}&to=${new Date((END + 60) * MINUTE).toISOString()}`;
  await watchOnce(dusk.url, BEGAN - 1, read);
  expect((await getJson(dusk.url, week)).incidents).toEqual([]);

  await send(BEGAN, END);
  await watchOnce(dusk.url, END - 1, read);
  const { incidents } = await getJson(dusk.url, week);
  const shifts = incidents.flatMap((it: { shifts: { owner: string; kind: string; name: string; words: string }[] }) => it.shifts);
  const wordsOf = (service: string) =>
    shifts.filter((it: { owner: string }) => it.owner === service).map((it: { words: string }) => it.words);
  expect(wordsOf('deck-app')).toEqual([expect.stringMatching(/^failing 0 % → 1\d/)]);
  expect(wordsOf('quayside-web').length).toBeGreaterThan(0);
  for (const words of wordsOf('quayside-web')) expect(words).toMatch(/^p\d\d \d\S* m?s → \d\S* s$/);
  expect(new Set(shifts.map((it: { kind: string; name: string }) => `${it.kind} ${it.name}`))).toEqual(
    new Set(['page /manifest']),
  );
  // The incident opens on a page that shows it, though no request of these visitors is known.
  expect(new Set(incidents.map((it: { path: string }) => it.path.split('?')[0]))).toEqual(new Set(['/visitors']));
  const lit = `from=${new Date(BEGAN * MINUTE).toISOString()}&to=${new Date(END * MINUTE).toISOString()}`;
  const [slow, crashing] = await Promise.all(
    ['quayside-web', 'deck-app'].map((name) => getJson(dusk.url, `/api/peers/${name}?${lit}&before=just`)),
  );
  const views = 8 * (END - BEGAN);
  expect(slow.pages).toMatchObject([{ name: '/manifest', state: 'strained', lit: { calls: views, failures: 0 } }]);
  expect(crashing.pages).toMatchObject([
    { name: '/manifest', state: 'failing', lit: { calls: views, failures: END - BEGAN }, before: { calls: views, failures: 0 } },
  ]);
  // Durations three times as long, to the width of a bucket.
  expect(slow.pages[0].lit.p50Ns / crashing.pages[0].lit.p50Ns).toBeCloseTo(3, 0);
  for (const { from } of incidents) expect(Math.abs(from / MINUTE - BEGAN)).toBeLessThanOrEqual(3);

  // Looked at from the beginning, the same is found.
  await watchOnce(dusk.url, END - 1);
  const again = (await getJson(dusk.url, week)).incidents;
  // The application watches by itself meanwhile: which of the two stores an incident first is open, and so is its number.
  const withoutId = (all: { id: number }[]) => all.map(({ id: _, ...it }) => it);
  expect(withoutId(again)).toEqual(withoutId(incidents));
});
