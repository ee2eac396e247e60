import { describe, expect, it } from 'vitest';
import type { FunctionSum } from './functionSums.ts';
import {
  FEWEST_SAMPLES,
  formatCost,
  inOrder,
  middleName,
  type ProfileSides,
  percent,
  placeOf,
  profileSentence,
  shortName,
} from './words.ts';

const MS = 1e6;
const side = (value: number, of: Partial<ProfileSides['lit']> = {}) => ({ value, count: 4_000, requests: 100, ...of });
const sides = (of: Partial<ProfileSides> = {}): ProfileSides => ({
  service: 'berths',
  type: 'cpu',
  unit: 'nanoseconds',
  lit: side(74_000 * MS),
  before: side(6_100 * MS),
  reference: 'before',
  ...of,
});
const grown = (before: number, lit: number): FunctionSum => ({
  name: 'reach/berths/layout.(*Solver).fits',
  file: '/src/reach/berths/layout/solve.go',
  line: 39,
  self: { lit, before },
  total: { lit, before },
});

describe('what a profile says', () => {
  it('is the cost of a request on either side, and what grew', () => {
    expect(profileSentence(sides(), grown(6_100 * MS * 0.04, 74_000 * MS * 0.81))).toBe(
      'berths computes 61.0 ms → 740 ms a request; fits takes 4 → 81 %',
    );
  });

  it('is that a function is new where it was in no sample before', () => {
    const found = grown(0, 74_000 * MS * 0.5);
    expect(profileSentence(sides(), found)).toMatch(/; fits, new, takes 50 %$/);
    expect(profileSentence(sides({ reference: '4.6.2' }), found)).toMatch(/; fits, new since 4\.6\.2, takes 50 %$/);
  });

  it('names nobody where no share grew by three points', () => {
    expect(profileSentence(sides(), grown(6_100 * MS * 0.5, 74_000 * MS * 0.52))).toMatch(/; no function’s share grew$/);
  });

  it('claims nothing of too few samples', () => {
    const few = FEWEST_SAMPLES - 1;
    expect(profileSentence(sides({ lit: side(1, { count: few }) }), undefined)).toBe(
      `Not enough data: ${few} samples of berths in this window`,
    );
    expect(profileSentence(sides({ lit: side(0, { count: 0 }) }), undefined)).toBe('No samples of berths in this window');
    // Too few before: the lit cost alone, and nothing of what grew.
    expect(profileSentence(sides({ before: side(1, { count: few }) }), grown(0, 70_000 * MS))).toBe(
      'berths computes 740 ms a request',
    );
  });

  it('gives the whole where no request is known, in the unit of the type', () => {
    const lit = side(5 * 2 ** 30, { requests: 0 });
    expect(profileSentence(sides({ type: 'inuse_space', unit: 'bytes', lit }), undefined)).toMatch(/^berths holds 5/);
  });
});

describe('names of code', () => {
  it.each([
    ['reach/berths/layout.(*Solver).fits', 'fits', 'Solver.fits'],
    ['reach.passes.Render::page', 'page', 'passes.Render::page'],
    ['(garbage collector)', '(garbage collector)', '(garbage collector)'],
    ['main', 'main', 'main'],
  ])('%s in short', (name, short, middle) => {
    expect(shortName(name)).toBe(short);
    expect(middleName(name)).toBe(middle);
  });

  it('have the end of their path and the line, where it is known', () => {
    expect(placeOf({ file: 'file:///src/reach/berths/layout/solve.go', line: 39 })).toBe('layout/solve.go:39');
    expect(placeOf({ file: 'solve.go', line: 0 })).toBe('solve.go');
    expect(placeOf({ file: '', line: 7 })).toBe('');
  });
});

describe('figures of profiles', () => {
  it('have as many digits as they bear', () => {
    expect([0, 0.0004, 0.0123, 0.5, 0.9996].map(percent)).toEqual(['0', '0.04', '1.2', '50.0', '100']);
    expect(formatCost(0, 'nanoseconds')).toBe('0');
    expect(formatCost(250 * MS, 'nanoseconds')).toBe('250 ms');
    expect(formatCost(1234.4, 'objects')).toMatch(/^1.234 objects$/);
  });

  it('are offered in the usual order, others behind', () => {
    expect(inOrder(['samples count', 'inuse_space bytes', 'wall nanoseconds', 'cpu nanoseconds', 'alloc_space bytes'])).toEqual([
      'cpu nanoseconds',
      'wall nanoseconds',
      'alloc_space bytes',
      'inuse_space bytes',
      'samples count',
    ]);
  });
});
