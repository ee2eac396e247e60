import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeSpans, type Sketch } from '../../../tests/support/made/traceMaker.ts';
import { condition, type Operator, turnedRound } from './condition.ts';
import { parseCondition, parsePattern, splitConditions, writeCondition, writePattern } from './conditionText.ts';
import { type PatternSpan, patternFits } from './spanPattern.ts';
import { readTypedChip } from './typedChip.ts';

const ms = 1e6;
const spansOf = (...sketches: Sketch[]): PatternSpan[] =>
  makeSpans(...sketches).map((span) => ({
    ...span,
    durationNs: Number(span.end - span.start),
    failed: span.status === 'error',
  }));
const request = spansOf(
  { id: 0, from: 0, to: 3000 * ms, service: 'gangway', name: 'POST /holds', kind: 'server' },
  { id: 1, parent: 0, from: 0, to: 2900 * ms, service: 'holds', name: 'hold.create' },
  { id: 2, parent: 1, from: 0, to: 1500 * ms, service: 'berths', name: 'berth.allocate', attributes: { 'deck.slots': 412 } },
  { id: 3, parent: 2, from: 0, to: 400 * ms, service: 'berths', name: 'layout.solve', failed: true },
);
const fits = (text: string, onlyRoot = false) => {
  const pattern = parsePattern(text);
  if (typeof pattern === 'string') throw new Error(pattern);
  return patternFits(pattern, request, onlyRoot);
};

describe('a pattern of spans', () => {
  it('holds when one span fits all of its conditions', () => {
    expect(fits('service is berths and duration over 1s')).toBe(true);
    expect(fits('service is berths and duration over 1s and failed is yes')).toBe(false);
    expect(fits('berths and failed')).toBe(true);
    expect(fits('deck.slots at least 400 and operation contains ALLOCATE')).toBe(true);
    expect(fits('service is not gangway and duration over 2s')).toBe(true);
    expect(fits('kind is server and service is not gangway')).toBe(false);
    expect(fits('deck.slots is missing and service is berths')).toBe(true);
  });

  it('holds when spans stand one under the other', () => {
    expect(fits('service is holds above service is berths and duration over 1s')).toBe(true);
    expect(fits('service is holds above service is berths and duration over 2s')).toBe(false);
    expect(fits('gangway above holds above failed')).toBe(true);
    expect(fits('berths above holds')).toBe(false);
    expect(fits('holds directly above operation is layout.solve')).toBe(false);
    expect(fits('operation is berth.allocate directly above failed')).toBe(true);
  });

  it('may be of the root alone', () => {
    expect(fits('service is gangway', true)).toBe(true);
    expect(fits('service is holds', true)).toBe(false);
  });

  it('does not run in circles', () => {
    const [a, b] = spansOf(
      { id: 0, parent: 1, from: 0, to: 1, service: 'a' },
      { id: 1, parent: 0, from: 0, to: 1, service: 'b' },
    );
    const pattern = parsePattern('service is c above service is a');
    expect(patternFits(pattern as Exclude<typeof pattern, string>, [a, b])).toBe(false);
  });

  it('is a condition like others: read, written, turned round, told what is wrong', () => {
    const text = 'span where service is holds,fares above operation is "a; and b" and duration over 1s';
    const read = parseCondition(text);
    expect(read).toMatchObject({ field: 'span', operator: 'where' });
    if (typeof read === 'string') throw new Error(read);
    const written = writeCondition(read);
    expect(parseCondition(written)).toEqual(read);
    expect(splitConditions(`${written};failed is yes`)).toEqual([written, 'failed is yes']);
    expect(writeCondition(turnedRound({ field: 'root', operator: 'where', values: ['failed'] }))).toBe('root nowhere failed');
    expect(parseCondition('span where service is')).toBe('"service is" wants a value');
    expect(parseCondition('span where user is x')).toMatch(/whole request/);
    expect(parseCondition('ferry where x is y')).toMatch(/said of span or root/);
    expect(parseCondition('span where a above')).toBeTypeOf('string');
    expect(parsePattern('above berths')).toBeTypeOf('string');
  });

  it('is typed in short', () => {
    const scope = { lit: { type: 'last', ms: 1 } as const, before: { type: 'calm' } as const, chips: [] };
    const chips = (text: string) => {
      const next = readTypedChip(scope, text);
      return typeof next === 'string' ? next : next.chips.map(writeCondition);
    };
    expect(chips('berths.failed')).toEqual(['span where service is berths and failed is yes']);
    expect(chips('berths > 1s')).toEqual(['span where service is berths and duration over 1s']);
    expect(chips('holds above berths > 1s')).toEqual([
      'span where service is holds above service is berths and duration over 1s',
    ]);
    expect(chips('ferry.vehicle_class = coach')).toEqual(['ferry.vehicle_class is coach']);
    expect(chips('duration > 2s')).toEqual(['duration over 2s']);
  });

  it('is written so that it is read back, whatever services and values are called', () => {
    const text = fc.oneof(
      fc.string({ minLength: 1 }),
      fc.constantFrom('a, b', 'x is y;', 'holds above berths', 'say "and"', 'back\\slash', ' '),
    );
    const one = fc
      .tuple(fc.constantFrom('service', 'ferry.route'), fc.constantFrom<Operator>('is', 'is not', 'contains'), text)
      .map(([field, operator, value]) => condition(field, operator, value));
    const steps = fc.array(fc.tuple(fc.array(one, { minLength: 1, maxLength: 2 }), fc.boolean()), { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(steps, (drafts) => {
        const pattern = drafts.map(([conditions, direct], at) => ({
          conditions,
          under: at === 0 ? null : direct ? ('direct' as const) : ('any' as const),
        }));
        const written = writePattern(pattern);
        expect(parsePattern(written)).toEqual(pattern);
        // Also as a chip in an address, among others.
        const chip = writeCondition(condition('span', 'where', written));
        expect(splitConditions(`a is b;${chip}`).map(parseCondition)).toEqual([
          condition('a', 'is', 'b'),
          condition('span', 'where', written),
        ]);
      }),
    );
  });
});
