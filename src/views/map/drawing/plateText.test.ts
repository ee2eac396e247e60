import { expect, it } from 'vitest';
import type { MapNode } from '../../../api/map/map.ts';
import type { Starts } from '../../../api/map/starts.ts';
import { figureWords, nodeWords, overWords } from './plateText.ts';

const node = (id: string, members: string[] = []) => ({ id, service: id, members }) as unknown as MapNode;
const origin = (name: string, share: number, starts = true) => ({ node: name, share, starts });
const startsOf = (slowness: ReturnType<typeof origin>[], failures: ReturnType<typeof origin>[] = []) =>
  ({ slowness: { origins: slowness }, failures: { origins: failures } }) as unknown as Starts;

it('a plate says how much of the trouble starts there, failures before slowness', () => {
  const starts = startsOf([origin('berths', 0.72), origin('notices', 0.2)], [origin('notices', 0.374)]);
  expect(nodeWords(starts, node('berths'))).toBe('72 % of the wait');
  expect(nodeWords(starts, node('notices'))).toBe('37 % of failures');
  expect(nodeWords(starts, node('holds'))).toBe('');
  expect(nodeWords(undefined, node('berths'))).toBe('');
});

it('of several services in one plate it is their sum, all at most', () => {
  const starts = startsOf([origin('berths', 0.7), origin('fares', 0.4)]);
  expect(nodeWords(starts, node('team', ['berths', 'fares']))).toBe('100 % of the wait');
});

it('little is not nothing', () => {
  const starts = startsOf([origin('vessels', 0.0002), origin('crew', 0.006)]);
  expect(nodeWords(starts, node('vessels'))).toBe('under 1 % of the wait');
  expect(nodeWords(starts, node('crew'))).toBe('1 % of the wait');
});

const plate = (of: Partial<MapNode>) =>
  ({ kind: 'service', service: 'holds', operation: null, turn: 'stays', lit: { calls: 0 }, ...of }) as unknown as MapNode;

it('an operation says whose it is, beside its part in the trouble', () => {
  const operation = plate({ operation: 'GET /bookings/{ref}' });
  expect(overWords(operation, 'none', '')).toBe('holds');
  expect(overWords(operation, 'starts-slowness', '37 % of the wait')).toBe('holds · starts here · 37 % of the wait');
  expect(overWords({ ...operation, turn: 'new' }, 'passes-slowness', '')).toBe('holds · new');
  // A service says its name itself.
  expect(overWords(plate({}), 'none', '')).toBe('');
  expect(overWords(plate({}), 'starts-failures', '')).toBe('starts here');
  expect(overWords(plate({ turn: 'gone' }), 'none', '')).toBe('gone');
});

it('calls whose operation is not known are no silence', () => {
  expect(figureWords(plate({}), 0, true)).toBe('operation not known');
  expect(figureWords(plate({}), 0, false)).toBe('no calls');
  expect(figureWords(plate({ operation: 'GET /holds' }), 0, true)).toBe('no calls');
  expect(figureWords(plate({ kind: 'database', service: null }), 0, true)).toBe('no calls');
});
