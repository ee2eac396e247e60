import { describe, expect, it } from 'vitest';
import type { NowAnswer, NowRow } from '../../api/now/now.ts';
import { changeWords } from '../../ui/verdict/verdictWords.ts';
import { harmWords, nowHeadline, rowWords, standOutWords } from './words.ts';

const NOW = Date.parse('2026-05-02T15:00:00Z');
const at = (time: string) => Date.parse(`2026-05-02T${time}:00Z`);

function figures(calls: number, p95Ms: number | null, failures = 0): NowRow['lit'] {
  const p95Ns = p95Ms === null ? null : p95Ms * 1e6;
  return { calls, failures, meanNs: p95Ns, p50Ns: p95Ns, p95Ns, p99Ns: p95Ns };
}

function row(of: Partial<NowRow>): NowRow {
  return {
    name: 'Place a hold',
    entries: ['POST /holds'],
    state: 'calm',
    changed: null,
    basis: 'before',
    worst: null,
    moreCalls: null,
    since: null,
    incidentId: null,
    users: null,
    extraWaitingNs: 0,
    extraFailures: 0,
    before: figures(900, 150),
    lit: figures(884, 152),
    beforeSpread: [],
    litSpread: [],
    ...of,
  };
}

function answer(journeys: NowRow[], of: Partial<NowAnswer> = {}): NowAnswer {
  return {
    lit: { from: '2026-05-02T14:00:00Z', to: '2026-05-02T15:00:00Z' },
    before: { from: '2026-05-02T10:00:00Z', to: '2026-05-02T11:00:00Z' },
    journeys,
    services: [],
    servicesRead: null,
    leftOut: { journeys: 0, services: 0 },
    requests: { lit: 884, before: 900 },
    calmSince: null,
    ...of,
  };
}

const slow = row({
  state: 'strained',
  changed: 'p95',
  since: at('13:58'),
  lit: figures(884, 4390),
  users: 138,
  extraWaitingNs: 540e9,
});
const failing = row({
  name: 'Search',
  state: 'failing',
  changed: 'failures',
  since: at('14:04'),
  lit: figures(500, 90, 21),
  before: figures(500, 90, 1),
  extraFailures: 20,
});

describe('the headline', () => {
  it.each([
    [answer([slow, failing, row({})]), 'Two journeys got worse after 13:58'],
    [answer([slow]), 'One journey got worse after 13:58'],
    [answer([{ ...slow, since: null }]), 'One journey got worse'],
    [answer([{ ...slow, since: at('13:58') - 86_400_000 }]), 'One journey got worse after Fri 1 May 13:58'],
    [answer([row({})]), 'All is well'],
    [answer([row({})], { calmSince: at('09:12') }), 'All is well since 09:12'],
    // What ended within the window is no calm since then.
    [answer([row({})], { calmSince: at('14:30') }), 'All is well'],
    [answer([row({ state: 'unknown' })]), 'Too few requests to say how it is'],
    [answer([row({ state: 'unknown', before: figures(0, null) })], { requests: { lit: 9, before: 0 } }), 'No reference yet'],
    [answer([row({ basis: 'within' })]), 'Nothing stands out; too little before to compare'],
    [answer([row({ basis: 'within', before: figures(0, null) })]), 'Nothing stands out; no reference yet'],
    [answer([{ ...failing, basis: 'none', since: null }]), 'One journey stands out; too little before to compare'],
    [answer([{ ...failing, basis: 'none', since: null, before: figures(0, null) }]), 'One journey stands out; no reference yet'],
    [answer([row({ state: 'perhaps' }), row({})]), 'One journey may be worse; the rest is as usual'],
    [answer([], { requests: { lit: 0, before: 9 } }), 'No request in the lit window'],
    [undefined, 'Looking …'],
  ])('is made from the data: %#', (data, words) => {
    expect(nowHeadline(data, 'journey', [], 'UTC', NOW)).toBe(words);
  });

  const app = (name: string, state: 'calm' | 'strained' | 'failing' | 'unknown', words = 'as before') => ({
    app: name,
    crashed: 0,
    state,
    words,
  });
  const slowPages = app('quayside-web', 'strained', 'ready in 6.79 s, not 488 ms');
  const crashes = app('deck-app', 'failing', '46 of 535 crash');
  const calm = answer([row({})], { calmSince: at('09:12') });

  it.each([
    // As long as it is not known how visitors fare, no more is said than of requests.
    [calm, undefined, 'All journeys are as usual'],
    [calm, [app('quayside-web', 'calm'), app('deck-app', 'unknown')], 'All is well since 09:12'],
    [
      calm,
      [slowPages, app('deck-app', 'calm')],
      'All journeys are as usual, but quayside-web is not: ready in 6.79 s, not 488 ms',
    ],
    // Who is turned away comes before who waits.
    [calm, [slowPages, crashes], 'All journeys are as usual, but deck-app is not: 46 of 535 crash'],
    [answer([row({ state: 'perhaps' })]), undefined, 'One journey may be worse'],
    [answer([row({ state: 'perhaps' })]), [crashes], 'One journey may be worse; deck-app: 46 of 535 crash'],
    [answer([row({ basis: 'within' })]), [crashes], 'No journey stands out, but deck-app does: 46 of 535 crash'],
    [answer([row({ basis: 'within' })]), undefined, 'Nothing stands out; too little before to compare'],
    [answer([slow]), [crashes], 'One journey got worse after 13:58; deck-app: 46 of 535 crash'],
    [answer([slow]), [slowPages], 'One journey got worse after 13:58'],
  ])('says that all is well only where visitors fare well, too: %#', (data, visitors, words) => {
    expect(nowHeadline(data, 'journey', visitors, 'UTC', NOW)).toBe(words);
  });
});

describe('a row', () => {
  it('says what changed, since when and for whom', () => {
    expect(changeWords(slow, slow.lit, slow.before, 'UTC', NOW)).toBe('p95 150 ms → 4.39 s');
    expect(changeWords(failing, failing.lit, failing.before, 'UTC', NOW)).toBe('failing 0.2 % → 4.2 %');
    const first = row({ basis: 'none', before: figures(0, null) });
    expect(changeWords(first, first.lit, first.before, 'UTC', NOW)).toBe('p95 152 ms');
    const worst = { from: at('13:35'), to: at('14:23'), usual: 0.002, shifted: 0.24, calls: 800 };
    expect(changeWords({ ...failing, worst }, failing.lit, failing.before, 'UTC', NOW)).toBe('failing 0.2 % → 24 %, 13:35–14:23');
    expect(rowWords(slow, 3600, 'UTC', NOW)).toBe('since 13:58 · 884 requests, 0.25/s, none fail · 138 users affected');
    expect(rowWords({ ...slow, users: 1, since: null }, 3600, 'UTC', NOW)).toBe(
      '884 requests, 0.25/s, none fail · 1 user affected',
    );
  });

  it('does not call chance usual', () => {
    expect(rowWords(row({}), 3600, 'UTC', NOW)).toBe('884 requests, 0.25/s, none fail, as usual');
    expect(rowWords(row({ state: 'perhaps', changed: 'p95', moreCalls: 83, lit: figures(94, 3380) }), 3600, 'UTC', NOW)).toBe(
      '94 requests, 0.026/s, none fail, perhaps slower; about 90 requests more would tell',
    );
    expect(rowWords(row({ basis: 'within' }), 3600, 'UTC', NOW)).toBe(
      '884 requests, 0.25/s, none fail, even throughout the window; too little before to compare',
    );
    expect(rowWords(row({ state: 'unknown', lit: figures(1, 9) }), 3600, 'UTC', NOW)).toBe(
      '1 request, 1/h, none fail, too few to say',
    );
    expect(rowWords(row({ state: 'unknown', before: figures(0, null) }), 3600, 'UTC', NOW)).toBe(
      '884 requests, 0.25/s, none fail, no reference yet',
    );
    expect(rowWords(row({ state: 'unknown', lit: figures(0, null) }), 3600, 'UTC', NOW)).toBe('no request now');
  });

  it('says the harm in words', () => {
    expect(harmWords(slow)).toBe('9 min of extra waiting');
    expect(harmWords(failing)).toBe('20 more failed');
    expect(harmWords({ ...slow, extraFailures: 3 })).toBe('9 min of extra waiting · 3 more failed');
    expect(harmWords(row({ extraWaitingNs: 3e8, extraFailures: 0.2 }))).toBe('–');
  });
});

it('says how one is unlike the others of its service', () => {
  const of = { service: 'berths', what: 'version' as const, name: '4.7.0' };
  const others = { calls: 400, failures: 1, p50Ns: 90e6, p95Ns: 126e6 };
  const slow = { ...of, state: 'strained' as const, own: { calls: 155, failures: 0, p50Ns: 180e6, p95Ns: 5.22e9 }, others };
  expect(standOutWords({ ...slow, changed: 'p95' })).toBe('p95 5.22 s, the others 126 ms');
  expect(standOutWords({ ...slow, changed: 'p50' })).toBe('p50 180 ms, the others 90.0 ms');
  const failing = { ...of, state: 'failing' as const, own: { calls: 200, failures: 18, p50Ns: 1, p95Ns: 1 }, others };
  expect(standOutWords({ ...failing, changed: 'failures' })).toBe('9.0 % fail, of the others 0.3 %');
});
