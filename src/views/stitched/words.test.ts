import { expect, it } from 'vitest';
import type { LogStitch } from '../../api/logs/stitch.ts';
import { placeOf } from './Loom.tsx';
import { classWords, stepWords, stitchHeadline } from './words.ts';

const step = (text: string): LogStitch['steps'][number] => ({
  step: text,
  pieces: [text, { hole: 0 }],
  service: 'notices',
  after: -1,
  usual: null,
  share: 1,
  late: 0,
  never: 0,
  twice: 0,
  order: 0,
});
const late = { id: 'late.1.0', how: 'late' as const, at: 1, groups: 29, from: 3_600_000, to: 3_660_000, firstAt: 0, lastAt: 1 };
const answer: LogStitch = {
  litWindow: { from: '', to: '' },
  beforeWindow: { from: '', to: '' },
  keys: [{ name: 'booking.ref', words: 'booking.ref', joined: 600, values: 612, services: 3, shapes: 7, sample: 'OR7C41E9' }],
  key: 'booking.ref',
  usualIs: 'before',
  groups: 612,
  off: 89,
  leftOut: 0,
  steps: [step('hold placed for '), step('mail written for ')],
  classes: [late],
  chosen: late.id,
  common: [],
  commonOf: { chosen: 29, others: 583 },
  threads: [],
};

it('says how many left the usual path, and how the chosen did', () => {
  expect(stitchHeadline(answer)).toBe('89 of 612 left the usual path; 29 of them: mail written for …: 1 h to 1 h 1 min late');
  expect(stitchHeadline({ ...answer, off: 0, classes: [], chosen: null })).toBe('All 612 by booking.ref took the usual path');
  expect(stitchHeadline({ ...answer, key: null })).toBe('No key joins these lines');
  expect(stitchHeadline({ ...answer, groups: 0 })).toBe('No booking.ref went through the usual steps');
});

it('says each way of being off', () => {
  expect(classWords({ ...late, how: 'never' }, answer.steps)).toBe('mail written for …: never');
  expect(classWords({ ...late, how: 'twice' }, answer.steps)).toBe('mail written for …: more often than usual');
  expect(classWords({ ...late, how: 'order' }, answer.steps)).toBe('mail written for …: too early');
});

it('a step is its first line, shortened', () => {
  expect(stepWords({ pieces: ['first\nsecond'] })).toBe('first');
  expect(stepWords({ pieces: ['a'.repeat(60)] }, 10)).toBe(`${'a'.repeat(9)}…`);
});

it('times stand on a log axis, each decade as wide as the other', () => {
  expect(placeOf(1)).toBe(0);
  expect(placeOf(100) - placeOf(10)).toBeCloseTo(placeOf(1_000) - placeOf(100), 9);
  expect(placeOf(1e12)).toBe(placeOf(6 * 3_600_000));
});
