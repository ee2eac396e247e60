import { expect, it } from 'vitest';
import { VisitMaker } from '../../../tests/support/made/visitMaker.ts';
import { loadParts, phaseSums } from '../../core/visits/loadPhases.ts';
import type { VisitEvent } from '../../core/visits/visitEvent.ts';
import { visitOf } from '../../core/visits/visitOf.ts';
import { harOf } from './har.ts';
import { readHar } from './readHar.ts';

const MADE = new VisitMaker()
  .add('page', 0, '/sailings', 1_000, {
    'redirect.ms': 5,
    'dns.ms': 10,
    'connect.ms': 20,
    'tls.ms': 30,
    'request.ms': 80,
    'response.ms': 40,
    bytes: 9_000,
  })
  .add('resource', 185, 'https://www.osier-reach.example/app.js', 200, {
    'request.ms': 120,
    'response.ms': 60,
    status: 200,
    bytes: 100,
  })
  .add('resource', 385, 'https://tags.example/tag.js', 400, { party: 'third', status: 200 });

const archive = () =>
  harOf({
    views: visitOf('s', 'web', '', MADE.events).views.map(({ page, atMs, readyUs }) => ({
      page,
      at: atMs,
      readyMs: readyUs! / 1_000,
    })),
    events: MADE.events.map(({ atMs, ...it }) => ({ ...it, at: atMs })),
  });

it('an archive of a load has its entries with timings that add up', () => {
  const { log } = archive();
  expect(log.entries.map(({ time }) => time)).toEqual([185, 200, 400]);
  expect(log.entries[0].timings).toEqual({ blocked: 5, dns: 10, connect: 50, ssl: 30, send: 0, wait: 80, receive: 40 });
  expect(log.pages[0].pageTimings.onLoad).toBe(1_000);
});

it('what is written is read again as the same load', () => {
  const text = JSON.stringify(archive()).replaceAll('"url":"/sailings"', '"url":"https://www.osier-reach.example/sailings"');
  const events = readHar(text, 'web').map(
    ({ time, attributes }): VisitEvent => ({
      atMs: Number(time) / 1e6,
      kind: attributes['lantern.visit.kind'] as VisitEvent['kind'],
      page: String(attributes['url.path']),
      name: String(attributes['lantern.visit.name']),
      durationMs: attributes['lantern.visit.duration_ms'] as number,
      traceId: '',
      order: Number(attributes['lantern.visit.order']),
      detail: attributes['lantern.visit.detail'] as VisitEvent['detail'],
      about: {},
    }),
  );
  const [page, ...resources] = events;
  expect(page).toMatchObject({ page: '/sailings', durationMs: 1_000 });
  const [first, ...rest] = MADE.events;
  expect(phaseSums(loadParts(page, resources, []))).toEqual(phaseSums(loadParts(first, rest, [])));
});

it('what is none is refused in words', () => {
  expect(() => readHar('{"log":{"entries":[{}]}}', 'web')).toThrow('no HTTP Archive 1.2: log.entries.0');
  expect(() => readHar('nonsense', 'web')).toThrow();
});
