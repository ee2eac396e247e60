import { describe, expect, it } from 'vitest';
import type { VerdictAnswer } from '../../api/verdict/verdicts.ts';
import { changeWords, STATE_WORDS, shareOf, stateWords } from './verdictWords.ts';

const MS = 1e6;
const NOW = Date.parse('2026-05-02T15:00:00Z');
const verdict = (of: Partial<VerdictAnswer>): VerdictAnswer => ({
  state: 'calm',
  changed: null,
  basis: 'before',
  worst: null,
  moreCalls: null,
  ...of,
});
const figures = (calls: number, p95Ms: number | null, failures = 0) => ({
  calls,
  failures,
  p50Ns: p95Ms === null ? null : (p95Ms * MS) / 2,
  p95Ns: p95Ms === null ? null : p95Ms * MS,
});
const change = (of: Partial<VerdictAnswer>, lit = figures(900, 7400), before = figures(800, 610)) =>
  changeWords(verdict(of), lit, before, 'UTC', NOW);

describe('what changed', () => {
  it('is the measure that did, before and lit', () => {
    expect(change({ changed: 'p95' })).toBe('p95 610 ms → 7.40 s');
    expect(change({ changed: 'p50' })).toBe('p50 305 ms → 3.70 s');
    expect(change({ changed: 'failures' }, figures(1000, 100, 240), figures(1000, 100, 4))).toBe('failing 0.4 % → 24 %');
    expect(change({})).toMatch(/^p95 /);
  });

  it('is that of the worst stretch, and when it was', () => {
    const worst = {
      from: Date.parse('2026-05-02T14:35:00Z'),
      to: Date.parse('2026-05-02T14:50:00Z'),
      usual: 0.004,
      shifted: 0.24,
      calls: 90,
    };
    expect(change({ changed: 'failures', worst })).toMatch(/^failing 0\.4 % → 24 %, .*14:35.*14:50/);
  });

  it('is the lit value alone where there is nothing to hold it against', () => {
    expect(change({ basis: 'within', changed: 'p95' })).toBe('p95 7.40 s');
    expect(change({ basis: 'none' }, figures(3, 50), figures(0, null))).toBe('p95 50.0 ms');
    expect(change({ basis: 'none' }, figures(0, null), figures(0, null))).toBe('p95 –');
    // Few calls: both are shown, and the state says that they are too few.
    expect(change({ basis: 'none' }, figures(7, 50), figures(90, 40))).toBe('p95 40.0 ms → 50.0 ms');
  });
});

describe('a state in words', () => {
  it('says how many more requests would tell, to one digit', () => {
    expect(stateWords(verdict({ state: 'perhaps', changed: 'p95', moreCalls: 83 }), true)).toBe(
      'perhaps slower; about 90 requests more would tell',
    );
    expect(stateWords(verdict({ state: 'perhaps', changed: 'failures', moreCalls: 7 }), true)).toBe(
      'perhaps more fail; about 7 requests more would tell',
    );
    expect(stateWords(verdict({ state: 'perhaps', changed: 'failures', moreCalls: 2_000_000 }), true)).toBe('perhaps more fail');
    expect(stateWords(verdict({ state: 'perhaps', changed: 'p50' }), true)).toBe('perhaps slower');
  });

  it('tells too little from nothing to hold it against', () => {
    expect(stateWords(verdict({ state: 'unknown' }), true)).toBe('too few to say');
    expect(stateWords(verdict({ state: 'unknown', basis: 'none' }), false)).toBe('no reference yet');
    expect(stateWords(verdict({}), true)).toBe('as usual');
    expect(stateWords(verdict({ basis: 'within' }), false)).toBe('even throughout the window; no reference yet');
    expect(stateWords(verdict({ basis: 'within' }), true)).toBe('even throughout the window; too little before to compare');
    expect(stateWords(verdict({ state: 'failing', changed: 'failures', basis: 'none' }), true)).toBe(
      'too little before to compare',
    );
  });

  it('adds to what is surely worse only what it rests on', () => {
    expect(stateWords(verdict({ state: 'strained', changed: 'p95' }), true)).toBe('');
    expect(stateWords(verdict({ state: 'strained', changed: 'p95', basis: 'within' }), false)).toMatch(/^against the rest/);
    expect(stateWords(verdict({ state: 'failing', changed: 'failures', basis: 'none' }), false)).toBe('no reference yet');
  });

  it('is read aloud for every state', () => {
    expect(Object.values(STATE_WORDS).every((words) => words.length > 3)).toBe(true);
    expect(shareOf({ calls: 0, failures: 0 })).toBe(0);
    expect(shareOf({ calls: 8, failures: 2 })).toBe(0.25);
  });
});
