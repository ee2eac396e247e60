import { describe, expect, it } from 'vitest';
import type { SumAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import type { PeerOverview } from '../../api/services/peer.ts';
import { peerHeadline, readWords, serviceHeadline, standsOut, troubleHere } from './words.ts';

const MS = 1e6;

function sum(calls: number, failures = 0, p95Ms = 100, p50Ms = 50): SumAnswer {
  return {
    calls,
    failures,
    clientErrors: 0,
    meanNs: 60 * MS,
    totalNs: 60 * MS * calls,
    p50Ns: calls === 0 ? null : p50Ms * MS,
    p95Ns: calls === 0 ? null : p95Ms * MS,
  };
}

type Pair = Pick<ServiceOverview, 'lit' | 'before' | 'state'> & Partial<Pick<ServiceOverview, 'changed' | 'basis'>>;
const said = (pair: Pair) => ({ basis: pair.state === 'unknown' ? 'none' : 'before', changed: null, worst: null, ...pair });
const service = (pair: Pair) => ({ name: 'berths', ...said(pair) }) as ServiceOverview;
const peer = (kind: PeerOverview['kind'], pair: Pair) => ({ name: 'deck-app', kind, ...said(pair) }) as PeerOverview;

describe('the headline of a service', () => {
  it.each<[string, Pair, string]>([
    [
      'slower in the tail',
      { lit: sum(90, 0, 5000), before: sum(80), state: 'strained', changed: 'p95' },
      'berths: p95 100 ms → 5.00 s',
    ],
    [
      'slower throughout',
      { lit: sum(90, 0, 400, 350), before: sum(80), state: 'strained', changed: 'p50' },
      'berths: p50 50.0 ms → 350 ms',
    ],
    [
      'failing',
      { lit: sum(100, 30), before: sum(100, 1), state: 'failing', changed: 'failures' },
      'berths: failing 1.0 % → 30 %',
    ],
    ['as it was', { lit: sum(90), before: sum(80), state: 'calm' }, 'berths is as before'],
    [
      'perhaps slower',
      { lit: sum(9, 0, 400), before: sum(80), state: 'perhaps', changed: 'p95' },
      'berths: perhaps p95 100 ms → 400 ms',
    ],
    ['new', { lit: sum(90), before: sum(0), state: 'unknown' }, 'berths: no reference yet'],
    [
      'alone',
      { lit: sum(90), before: sum(0), state: 'calm', basis: 'within' },
      'berths is as it was throughout the window; no reference yet',
    ],
    [
      'hardly known',
      { lit: sum(90), before: sum(2), state: 'calm', basis: 'within' },
      'berths is as it was throughout the window; too little before to compare',
    ],
    ['silent', { lit: sum(0), before: sum(80), state: 'unknown' }, 'berths handled nothing in this window'],
  ])('says of one that is %s', (_, pair, words) => {
    expect(serviceHeadline(service(pair), undefined, 'UTC', 0)).toBe(words);
  });
});

describe('the headline of what does not report itself', () => {
  const silent: Pair = { lit: sum(0), before: sum(80), state: 'unknown' };

  it('says who is silent: those who are called, or those who ask', () => {
    expect(peerHeadline(peer('database', silent), 'UTC', 0)).toBe('Nobody called deck-app in this window');
    expect(peerHeadline(peer('visitors', silent), 'UTC', 0)).toBe('deck-app asked for nothing in this window');
  });
});

describe('trouble that starts in a place whose calls are mostly as before', () => {
  const origin = (node: string, starts: boolean) => ({ node, share: starts ? 0.6 : 0.01, starts });
  const startsOf = (failing: [string, boolean][], slow: [string, boolean][]) =>
    ({
      failures: { origins: failing.map(([node, it]) => origin(node, it)) },
      slowness: { origins: slow.map(([node, it]) => origin(node, it)), machine: null },
    }) as unknown as Starts;
  const calm: Pair = { lit: sum(90), before: sum(80), state: 'calm' };

  it.each<[Starts | undefined, string]>([
    [startsOf([['berths', true]], [['berths', true]]), 'failures and waiting start here'],
    [startsOf([['berths', true]], [['fares', true]]), 'failures start here'],
    [startsOf([['fares', true]], [['berths', true]]), 'waiting starts here'],
    [startsOf([['berths', false]], [['fares', true]]), ''],
    [undefined, ''],
  ])('is said (%#)', (starts, words) => {
    expect(troubleHere(starts, 'berths')).toBe(words);
    const all = words === '' ? ' is as before' : ` are as before, but ${words}`;
    const most = words === '' ? '' : 'Most calls of ';
    expect(serviceHeadline(service(calm), undefined, 'UTC', 0, words)).toBe(`${most}berths${all}`);
    expect(peerHeadline(peer('database', calm), 'UTC', 0, words)).toBe(`${most}deck-app${all}`);
  });

  it('is not said again where the change itself is the headline', () => {
    const failing: Pair = { lit: sum(100, 30), before: sum(100, 1), state: 'failing', changed: 'failures' };
    expect(peerHeadline(peer('database', failing), 'UTC', 0, 'failures start here')).toBe('deck-app: failing 1.0 % → 30 %');
  });
});

describe('an instance', () => {
  const instance = (name: string, state: string, calls = 50) => ({ instance: name, state, lit: sum(calls) });

  it('stands out when it alone is worse and the others are known to be well', () => {
    expect(standsOut([instance('a', 'calm'), instance('b', 'strained'), instance('c', 'calm')])).toBe('b');
    // Who handles nothing now has nothing to say.
    expect(standsOut([instance('a', 'calm'), instance('b', 'failing'), instance('c', 'unknown', 0)])).toBe('b');
  });

  it('does not while of others too little is known, when several are worse, or when there is no other', () => {
    expect(standsOut([instance('a', 'unknown'), instance('b', 'strained'), instance('c', 'calm')])).toBeUndefined();
    expect(standsOut([instance('a', 'strained'), instance('b', 'strained'), instance('c', 'calm')])).toBeUndefined();
    expect(standsOut([instance('b', 'strained')])).toBeUndefined();
    expect(standsOut([instance('a', 'calm'), instance('c', 'calm')])).toBeUndefined();
  });
});

describe('the requests that figures are of', () => {
  const of = (lit: number, litOf: number) => ({ lit, litOf, before: 0, beforeOf: 0 });

  it('are told when chips narrow them, and when only a part was read', () => {
    expect(readWords(of(900, 900), false)).toBe('');
    expect(readWords(of(45, 45), true)).toBe('of the 45 requests that fit the chips · ');
    expect(readWords(of(1, 1), true)).toBe('of the 1 request that fits the chips · ');
    expect(readWords(of(6000, 21_000), true)).toBe('from a sample, 6\u202f000 of 21\u202f000 requests that fit the chips · ');
  });
});
