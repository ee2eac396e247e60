import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Outbox } from './outbox.ts';
import { Session } from './session.ts';
import type { SnippetSettings } from './settings.ts';

/* The outbox of a page, with a door that answers as the test wants, and time that the test turns. */

interface Body {
  readonly session: string;
  readonly user: string;
  readonly about: Readonly<Record<string, unknown>>;
  readonly events: readonly { readonly o: number; readonly k: string }[];
}

/** What the door answers next, in order; the last again and again. Undefined: nobody answers. */
let answers: (Response | undefined)[];
let sent: Body[];
let beacons: Body[];
let takesBeacon: boolean;
let page: Record<string, () => void>;
let kept: Map<string, string>;

const answer = (status: number, headers: Record<string, string> = {}) => new Response(null, { status, headers });

beforeEach(() => {
  vi.useFakeTimers();
  // The pause is drawn: here always the middle of what it may be.
  vi.spyOn(Math, 'random').mockReturnValue(0.5);
  answers = [answer(204)];
  sent = [];
  beacons = [];
  takesBeacon = true;
  page = {};
  kept = new Map();
  vi.stubGlobal('fetch', async (_: string, { body }: { body: string }) => {
    const it = answers.length > 1 ? answers.shift() : answers[0];
    if (!it) throw new TypeError('nobody answers');
    sent.push(JSON.parse(body));
    return it;
  });
  vi.stubGlobal('navigator', {
    onLine: true,
    sendBeacon: (_: string, body: string) => {
      if (takesBeacon) beacons.push(JSON.parse(body));
      return takesBeacon;
    },
  });
  vi.stubGlobal('sessionStorage', {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => kept.set(key, value),
    removeItem: (key: string) => kept.delete(key),
  });
  vi.stubGlobal('addEventListener', (name: string, on: () => void) => {
    page[name] = on;
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const SETTINGS: SnippetSettings = {
  site: 'quayside-web-key',
  door: 'http://lantern.example/v1/visits/quayside-web-key',
  release: '2.31',
  region: 'Tern',
  consent: 'given',
  sample: 1,
  own: [],
  trace: [],
};
const outboxOf = (settings: Partial<SnippetSettings> = {}) => new Outbox({ ...SETTINGS, ...settings }, new Session());
const tell = (outbox: Outbox, count = 1, kind = 'action') => {
  for (let at = 0; at < count; at++) outbox.tell({ k: kind, t: Date.now(), p: '/sailings' });
};
/** Lets so many seconds go by. */
const wait = (seconds: number) => vi.advanceTimersByTimeAsync(seconds * 1_000);
const orders = (bodies: readonly Body[]) => bodies.flatMap(({ events }) => events.map(({ o }) => o));

describe('what a page tells', () => {
  it('goes out every five seconds, together, with what is known of the page and the visitor', async () => {
    const outbox = outboxOf();
    outbox.user('guest-2741');
    outbox.about({ plan: 'season', seats: 3, nothing: null, list: [1] });
    tell(outbox, 3);
    await wait(4.9);
    expect(sent).toEqual([]);
    await wait(0.2);
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({ user: 'guest-2741', about: { region: 'Tern', plan: 'season', seats: 3 } });
    expect(sent[0].about).not.toHaveProperty('nothing');
    expect(orders(sent)).toEqual([0, 1, 2]);
    await wait(60);
    expect(sent).toHaveLength(1);
  });

  it('goes out at once when it is much, and in parts', async () => {
    const outbox = outboxOf();
    tell(outbox, 120);
    await wait(0);
    expect(sent[0].events).toHaveLength(50);
    await wait(15);
    expect(orders(sent)).toEqual(Array.from({ length: 120 }, (_, at) => at));
  });

  it('of two visits goes out apart', async () => {
    const outbox = outboxOf();
    tell(outbox);
    // The page is asleep for an hour: nothing is sent, and the visit is over.
    vi.stubGlobal('navigator', { onLine: false });
    await wait(3_600);
    tell(outbox);
    vi.stubGlobal('navigator', { onLine: true });
    await wait(11);
    expect(sent.map(({ events }) => events.length)).toEqual([1, 1]);
    expect(sent[0].session).not.toBe(sent[1].session);
  });
});

describe('a door that does not take it', () => {
  it.each([
    ['answers with an error', answer(503)],
    ['asks for patience', answer(429)],
    ['does not answer', undefined],
  ])('%s: it waits longer each time, and nothing is lost or sent twice', async (_, refusal) => {
    answers = [refusal, refusal, refusal, answer(204)];
    const outbox = outboxOf();
    tell(outbox, 2);
    await wait(5);
    const tried = () => 4 - answers.length;
    expect(tried()).toBe(1);
    // After 2 s, then 4 s, then 8 s: whenever the clock of five seconds comes by next.
    await wait(5);
    expect(tried()).toBe(2);
    await wait(5);
    expect(tried()).toBe(3);
    await wait(5);
    expect(tried()).toBe(3);
    await wait(5);
    expect(orders(sent.slice(-1))).toEqual([0, 1]);
    const soFar = sent.length;
    await wait(300);
    expect(sent).toHaveLength(soFar);
  });

  it('says how long to wait, and is obeyed', async () => {
    answers = [answer(429, { 'retry-after': '60' }), answer(204)];
    tell(outboxOf());
    await wait(60);
    expect(sent).toHaveLength(1);
    await wait(10);
    expect(sent).toHaveLength(2);
  });

  it('is asked at once when the network is back', async () => {
    answers = [undefined, answer(204)];
    tell(outboxOf());
    await wait(5);
    expect(sent).toEqual([]);
    page.online();
    await wait(0);
    expect(orders(sent)).toEqual([0]);
  });

  it('keeps the latest of what waits: a page that is open for days fills no memory', async () => {
    answers = [undefined];
    const outbox = outboxOf();
    for (let round = 0; round < 50; round++) {
      tell(outbox, 20);
      await wait(1);
    }
    answers = [answer(204)];
    await wait(600);
    expect(orders(sent)).toEqual(Array.from({ length: 400 }, (_, at) => 600 + at));
  });

  it.each([403, 404])('does not know the site (%i): nothing is told any more', async (status) => {
    answers = [answer(status), answer(204)];
    const outbox = outboxOf();
    tell(outbox);
    await wait(5);
    tell(outbox, 60);
    await wait(60);
    expect(sent).toHaveLength(1);
  });

  it('cannot read it (400): it is not sent again, and what follows is', async () => {
    answers = [answer(400), answer(204)];
    const outbox = outboxOf();
    tell(outbox);
    await wait(5);
    tell(outbox);
    await wait(5);
    expect(orders(sent)).toEqual([0, 1]);
  });
});

describe('a page that is left', () => {
  it('hands what waits to the browser', async () => {
    const outbox = outboxOf();
    tell(outbox, 2);
    outbox.leave();
    expect(orders(beacons)).toEqual([0, 1]);
    await wait(60);
    expect(sent).toEqual([]);
  });

  it('leaves it to the next page of the tab when the browser does not take it', async () => {
    takesBeacon = false;
    const outbox = outboxOf();
    tell(outbox, 2);
    outbox.leave();
    expect(beacons).toEqual([]);
    vi.clearAllTimers();
    outboxOf();
    await wait(5);
    expect(orders(sent)).toEqual([0, 1]);
    expect(kept.has('dusk.waiting')).toBe(false);
  });

  it('and comes back sends it itself, and the next page does not send it again', async () => {
    takesBeacon = false;
    const outbox = outboxOf();
    tell(outbox);
    outbox.leave();
    await wait(5);
    expect(orders(sent)).toEqual([0]);
    vi.clearAllTimers();
    outboxOf();
    await wait(60);
    expect(sent).toHaveLength(1);
  });
});

describe('consent', () => {
  it('is waited for: before it nothing is sent, and not even an id is kept', async () => {
    const outbox = outboxOf({ consent: 'ask' });
    tell(outbox, 2);
    outbox.leave();
    await wait(60);
    expect([sent, beacons, [...kept]]).toEqual([[], [], []]);
    outbox.consent(true);
    await wait(0);
    expect(orders(sent)).toEqual([0, 1]);
    expect(sent[0].session).toMatch(/^[\da-f]{32}$/);
  });

  it('that is refused or taken back forgets all', async () => {
    const outbox = outboxOf({ consent: 'ask' });
    tell(outbox);
    outbox.consent(false);
    tell(outbox);
    await wait(60);
    const given = outboxOf();
    tell(given);
    await wait(5);
    expect(kept.has('dusk.visit')).toBe(true);
    given.consent(false);
    tell(given);
    await wait(60);
    expect(sent).toHaveLength(1);
    expect([...kept]).toEqual([]);
  });
});
