import { describe, expect, it } from 'vitest';
import { type Batch, batchShape, eventsOf } from './batch.ts';

const NOW = Date.parse('2026-11-30T12:00:00Z');
const SESSION = 'a'.repeat(32);
const SITE = { app: 'quayside-web', environment: 'reach-live' } as Parameters<typeof eventsOf>[0];

const event = (more: object = {}) => ({ k: 'action', o: 0, t: NOW - 1_000, p: '/sailings', ...more });
const batch = (more: object = {}) => ({ v: 1, session: SESSION, now: NOW, events: [event()], ...more });
const read = (more: object = {}): Batch => batchShape.parse(batch(more));
const events = (more: object = {}, nowMs = NOW, userAgent = '') => eventsOf(SITE, read(more), userAgent, nowMs);
/** Attributes of the first event. */
const told = (more: object = {}) => events(more)[0].attributes as Record<string, unknown>;

describe('what the public door takes', () => {
  it.each([
    ['another version', { v: 2 }],
    ['a visit that is no id', { session: 'x; DROP TABLE' }],
    ['a visit in capitals', { session: 'A'.repeat(32) }],
    ['no event', { events: [] }],
    ['more events than a batch has', { events: Array.from({ length: 201 }, () => event()) }],
    ['a kind that there is not', { events: [event({ k: 'admin' })] }],
    ['a page without end', { events: [event({ p: `/${'a'.repeat(300)}` })] }],
    ['a name without end', { events: [event({ n: 'a'.repeat(601) })] }],
    ['a time that is none', { events: [event({ t: '12:00' })] }],
    ['a time that is no number', { events: [event({ t: Number.NaN })] }],
    ['an order before the first', { events: [event({ o: -1 })] }],
    ['a duration below nothing', { events: [event({ d: -5 })] }],
    ['a trace that is none', { events: [event({ tr: 'abc' })] }],
    ['something nobody asked for', { admin: true }],
    ['something nobody asked for in an event', { events: [event({ html: '<b>' })] }],
    ['facts that are lists', { about: { plan: ['a'] } }],
    ['more facts than thirty', { about: Object.fromEntries(Array.from({ length: 31 }, (_, at) => [`fact${at}`, at])) }],
    ['a fact with a name without end', { about: { ['a'.repeat(61)]: 1 } }],
    ['a visitor without end', { user: 'u'.repeat(65) }],
    ['more masked than a page holds', { masked: 1e9 }],
  ])('is not %s', (_, more) => {
    expect(batchShape.safeParse(batch(more)).success).toBe(false);
  });

  it('is a batch as the snippet sends it, in full', () => {
    const full = { release: '2.31', user: 'guest-2741', about: { region: 'Tern', new: true, seats: 3 }, masked: 4 };
    expect(
      batchShape.safeParse(batch({ ...full, events: [event({ n: 'search', d: 50, tr: 'b'.repeat(32), x: { effect: 'none' } })] }))
        .success,
    ).toBe(true);
  });
});

describe('events', () => {
  it('are of the site that the key is of, whatever the page says', () => {
    const [it] = events({ release: '2.31', about: { app: 'other' } });
    expect(it.resource).toEqual({
      'service.name': 'quayside-web',
      'service.version': '2.31',
      'deployment.environment.name': 'reach-live',
    });
    expect(it).toMatchObject({ event: 'lantern.visit', body: null });
    expect(it.attributes).toMatchObject({ 'session.id': SESSION, 'url.path': '/sailings', 'lantern.visit.kind': 'action' });
  });

  it('have our time where the clock of the browser is off', () => {
    const at = (more: object) => events(more).map(({ time }) => Number(time / 1_000_000n) - NOW);
    expect(at({ events: [event({ t: NOW - 1_000 })] })).toEqual([-1_000]);
    // An hour slow: all that it says is an hour too early.
    expect(at({ now: NOW - 3_600_000, events: [event({ t: NOW - 3_601_000 })] })).toEqual([-1_000]);
    expect(at({ now: NOW + 86_400_000, events: [event({ t: NOW + 86_395_000 })] })).toEqual([-5_000]);
    // Off by no more than the way to us takes.
    expect(at({ now: NOW - 1_500, events: [event({ t: NOW - 2_000 })] })).toEqual([-2_000]);
  });

  it('of long ago, or of later, are left out; the others are taken', () => {
    const times = [NOW - 7 * 3_600_000, NOW - 5 * 3_600_000, NOW - 10, NOW + 50_000, NOW + 120_000];
    const found = events({ events: times.map((t, o) => event({ t, o })) });
    expect(found.map(({ attributes }) => (attributes as Record<string, unknown>)['lantern.visit.order'])).toEqual([1, 2, 3]);
    expect(events({ events: [event({ t: -1e300 })] })).toEqual([]);
    expect(events({ now: 1e300, events: [event({ t: 1e300 })] })).toEqual([]);
  });

  it('say once what the visit is of, on the first that is taken', () => {
    const found = events({ about: { region: 'Tern' }, masked: 4, events: [event({ t: 0 }), event(), event({ o: 1 })] });
    expect(found.map(({ attributes }) => (attributes as Record<string, unknown>)['lantern.visit.about'] !== undefined)).toEqual([
      true,
      false,
    ]);
    const masked = found.map(
      ({ attributes }) => (attributes as Record<string, { masked?: number }>)['lantern.visit.detail'].masked,
    );
    expect(masked).toEqual([4, undefined]);
  });

  it('carry the trace that they made', () => {
    const [it] = events({ events: [event({ tr: 'b'.repeat(32) })] });
    expect(it).toMatchObject({ traceId: 'b'.repeat(32), attributes: { 'lantern.trace_id': 'b'.repeat(32) } });
  });
});

describe('what the page did not mask', () => {
  it.each([
    ['a mail address as the visitor', { user: 'ines@harbour.example' }, 'user.id', 'ines@harbour.example'],
    [
      'a mail address in a name',
      { events: [event({ n: 'write to ines@harbour.example' })] },
      'lantern.visit.name',
      'ines@harbour',
    ],
    [
      'what stands after a question mark in an address',
      { events: [event({ n: 'https://x.example/a?token=s3cret#f' })] },
      'lantern.visit.name',
      's3cret',
    ],
    ['a long number in a path', { events: [event({ p: '/cards/4929123412341234' })] }, 'url.path', '4929123412341234'],
    [
      'a mail address in a fact',
      { events: [event({ x: { note: 'ines@harbour.example' } })] },
      'lantern.visit.detail',
      'ines@harbour',
    ],
    [
      'a mail address in what the visit is of',
      { about: { note: 'ines@harbour.example' } },
      'lantern.visit.about',
      'ines@harbour',
    ],
  ])('is masked here: %s', (_, more, attribute, secret) => {
    const value = told(more)[attribute];
    expect(value).toBeDefined();
    expect(JSON.stringify(value)).not.toContain(secret);
  });

  it('does not reach into what is of no person: names of hosts, ids of views, places in a stack', () => {
    const it = told({
      events: [
        event({ n: 'https://tags.example/tag.js', x: { view: 'v-123456789012345678', stack: 'onPress (app/button.js:31:4)' } }),
      ],
    });
    expect(it['lantern.visit.name']).toBe('https://tags.example/tag.js');
    expect(it['lantern.visit.detail']).toMatchObject({ view: 'v-123456789012345678', stack: 'onPress (app/button.js:31:4)' });
  });
});
