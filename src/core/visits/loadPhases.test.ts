import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { VisitMaker } from '../../../tests/support/made/visitMaker.ts';
import { loadParts, phaseSums } from './loadPhases.ts';
import type { VisitEvent } from './visitEvent.ts';

const DOCUMENT = { 'dns.ms': 10, 'connect.ms': 20, 'tls.ms': 30, 'request.ms': 80, 'response.ms': 40 };

function partsOf(maker: VisitMaker) {
  const [page, ...rest] = maker.events;
  return loadParts(
    page,
    rest.filter(({ kind }) => kind === 'resource'),
    rest.filter(({ kind }) => kind === 'task'),
  );
}

const words = (parts: ReturnType<typeof partsOf>) =>
  parts.map(({ phase, party, from, to }) => `${from / 1000}–${to / 1000} ${phase} ${party}`.trim());

describe('a page load', () => {
  it('is its document, then what it waited for last, back to the document; gaps are the browser’s', () => {
    const parts = partsOf(
      new VisitMaker()
        .add('page', 0, '/sailings', 1_000, DOCUMENT)
        .add('resource', 180, 'https://own.example/app.js', 200, { 'request.ms': 120, 'response.ms': 80 })
        // Over before app.js is: nobody waited for it.
        .add('resource', 180, 'https://own.example/logo.png', 50),
    );
    expect(words(parts)).toEqual([
      '0–60 network',
      '60–140 server',
      '140–180 download',
      '180–300 server',
      '300–380 download',
      '380–1000 browser',
    ]);
  });

  it('names the third party whose script was waited for, fetching and running alike', () => {
    const parts = partsOf(
      new VisitMaker()
        .add('page', 0, '/sailings', 5_500, DOCUMENT)
        .add('resource', 180, 'https://tags.example/tag.js', 4_000, { party: 'third' })
        .add('task', 4_180, 'https://tags.example/tag.js', 1_000, { party: 'third' })
        .add('task', 5_180, 'https://own.example/app.js', 320),
    );
    expect(words(parts).slice(3)).toEqual(['180–5180 third tags.example', '5180–5500 browser']);
    expect(phaseSums(parts).third).toBe(5_000_000);
  });

  it('does not blame a third party that loads beside something that takes longer', () => {
    const parts = partsOf(
      new VisitMaker()
        .add('page', 0, '/sailings', 600, DOCUMENT)
        .add('resource', 180, 'https://tags.example/tag.js', 100, { party: 'third' })
        .add('resource', 180, 'https://own.example/app.js', 400),
    );
    expect(phaseSums(parts).third).toBe(0);
  });

  it('that was not reported has no parts; phases beyond its end are cut', () => {
    expect(partsOf(new VisitMaker().add('page', 0, '/x', null))).toEqual([]);
    const parts = partsOf(new VisitMaker().add('page', 0, '/x', 100, DOCUMENT));
    expect(words(parts)).toEqual(['0–60 network', '60–100 server']);
  });

  it('always adds up, side by side, whatever is in it', () => {
    const time = fc.integer({ min: 0, max: 3_000 });
    const item = fc.record({
      kind: fc.constantFrom('resource' as const, 'task' as const),
      at: time,
      took: time,
      third: fc.boolean(),
      wait: time,
    });
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 3_000 }),
        fc.array(item, { maxLength: 12 }),
        fc.array(time, { minLength: 5, maxLength: 5 }),
        (ready, items, phases) => {
          const maker = new VisitMaker().add(
            'page',
            0,
            '/x',
            ready,
            Object.fromEntries(Object.keys(DOCUMENT).map((name, at) => [name, phases[at] / 8])),
          );
          for (const { kind, at, took, third, wait } of items)
            maker.add(kind, at, `https://${third ? 'tags' : 'own'}.example/f.js`, took, {
              'request.ms': wait / 2,
              ...(third && { party: 'third' }),
            });
          const parts = partsOf(maker);
          expect(parts[0].from).toBe(0);
          expect(parts.at(-1)!.to).toBe(ready * 1_000);
          for (const [at, { from, to }] of parts.entries()) {
            expect(to).toBeGreaterThan(from);
            if (at > 0) expect(from).toBe(parts[at - 1].to);
          }
          expect(Object.values(phaseSums(parts)).reduce((sum, it) => sum + it, 0)).toBe(ready * 1_000);
        },
      ),
    );
  });
});

it('an event that is no load is none', () => {
  const event = { ...new VisitMaker().add('page', 0, '/x', 0).events[0] } satisfies VisitEvent;
  expect(loadParts(event, [], [])).toEqual([]);
});
