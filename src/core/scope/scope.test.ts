import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beforeAt, lastCalm, parseBefore, writeBefore } from './before.ts';
import { type Condition, condition, fitsPositive, OPERATORS, turnedRound } from './condition.ts';
import { parseCondition, splitConditions, writeCondition } from './conditionText.ts';
import {
  chipQuery,
  chosenValue,
  comparisonQuery,
  durationBounds,
  type LitWindow,
  readScope,
  scopeQuery,
  withChip,
  withChipChanged,
  withDurations,
  withoutChip,
  withValueTurned,
  writeScope,
} from './scope.ts';
import { readTraceReference } from './traceReference.ts';
import { readTypedChip } from './typedChip.ts';
import { readTypedWindow } from './typedWindow.ts';

const HOUR: LitWindow = { type: 'last', ms: 3_600_000 };
const read = (query: string) => readScope(new URLSearchParams(query), HOUR);
const is = (field: string, ...values: string[]) => condition(field, 'is', ...values);

describe('a condition', () => {
  it('is read from words, and from signs for them', () => {
    expect(parseCondition('ferry.route is tern-marram, tern-saltern')).toEqual(is('ferry.route', 'tern-marram', 'tern-saltern'));
    expect(parseCondition('entry is POST /holds')).toEqual(is('entry', 'POST /holds'));
    expect(parseCondition('ferry.party_size >= 4')).toEqual(condition('ferry.party_size', 'at least', '4'));
    expect(parseCondition('ferry.channel != kiosk')).toEqual(condition('ferry.channel', 'is not', 'kiosk'));
    expect(parseCondition('booking.ref exists')).toEqual(condition('booking.ref', 'exists'));
    expect(parseCondition('booking.ref is missing')).toEqual(condition('booking.ref', 'is missing'));
    expect(parseCondition('note is "salt, pepper; \\"and\\" more"')).toEqual(is('note', 'salt, pepper; "and" more'));
  });

  it.each([
    ['', 'field'],
    ['3s', 'field'],
    ['berths', 'comes a word'],
    ['duration is 3s', 'duration'],
    ['duration over long', 'no duration'],
    ['failed is maybe', 'yes or no'],
    ['service over 3', 'no size'],
    ['ferry.party_size over many', 'no number'],
    ['booking.ref exists yes', 'no value'],
    ['ferry.route is', 'wants a value'],
    ['a over 1, 2', 'one value'],
    ['note is "open', 'not closed'],
  ])('%j is refused with a reason', (text, reason) => {
    expect(parseCondition(text)).toContain(reason);
  });

  const conditions = fc
    .tuple(
      fc.stringMatching(/^[a-z_][a-z0-9_.]{0,12}$/).filter((it) => it !== 'duration' && it !== 'failed'),
      fc.constantFrom('is', 'is not', 'contains', 'lacks', 'exists', 'is missing'),
      fc.array(fc.string({ maxLength: 12 }), { minLength: 1, maxLength: 3 }),
    )
    .map(([field, operator, values]): Condition => {
      const count = operator === 'exists' || operator === 'is missing' ? 0 : operator.startsWith('is') ? values.length : 1;
      return { field, operator: operator as Condition['operator'], values: values.slice(0, count) };
    });

  it('reads back as it was written, also among others and through an address', () => {
    fc.assert(
      fc.property(fc.array(conditions, { minLength: 1, maxLength: 4 }), (list) => {
        for (const it of list) expect(parseCondition(writeCondition(it))).toEqual(it);
        expect(splitConditions(list.map(writeCondition).join(';')).map(parseCondition)).toEqual(list);
        const scope = { ...read(''), chips: list.map((it, at) => ({ ...it, on: at % 2 === 0 })) };
        expect(read(writeScope(scope).toString())).toEqual(scope);
      }),
    );
  });

  it('turned round twice is itself, and its turned form asks the same positively', () => {
    for (const operator of OPERATORS) expect(turnedRound(turnedRound(condition('a', operator, '1'))).operator).toBe(operator);
    expect(turnedRound(condition('a', 'over', '3')).operator).toBe('at most');
    expect(fitsPositive(condition('a', 'is not', 'x'), 'x')).toBe(true);
    expect(fitsPositive(condition('a', 'contains', 'AC'), 'coach')).toBe(true);
    expect(fitsPositive(condition('a', 'under', '10'), '9')).toBe(true);
    expect(fitsPositive(condition('a', 'under', '10'), 'many')).toBe(false);
  });
});

describe('a scope in a URL', () => {
  it('is read, and written back to the same', () => {
    const query =
      'from=2026-05-02T14:02Z&to=2026-05-02T14:32Z&before=yesterday&where=entry is POST /holds;off:service is berths;duration over 3s';
    const scope = read(query);
    expect(scope).toEqual({
      lit: { type: 'fixed', from: Date.parse('2026-05-02T14:02Z'), to: Date.parse('2026-05-02T14:32Z') },
      before: { type: 'yesterday' },
      chips: [
        { ...is('entry', 'POST /holds'), on: true },
        { ...is('service', 'berths'), on: false },
        { ...condition('duration', 'over', '3s'), on: true },
      ],
    });
    expect(read(writeScope(scope).toString())).toEqual(scope);
  });

  it('lights the usual window when it names none or one that cannot be', () => {
    expect(read('').lit).toEqual(HOUR);
    expect(read('from=2026-05-02T14:02Z&to=2026-05-02T13:02Z').lit).toEqual(HOUR);
    expect(read('from=yesterday&to=today').lit).toEqual(HOUR);
    expect(read('last=forever').lit).toEqual(HOUR);
    expect(read('last=999999999999h').lit).toEqual(HOUR);
    expect(read('from=0001-01-01T00:00Z&to=0002-01-01T00:00Z').lit).toEqual(HOUR);
    expect(read('from=2026-01-01T00:00Z&to=9999-01-01T00:00Z').lit).toEqual(HOUR);
  });

  it('leaves out a chip that cannot be understood, and keeps the rest', () => {
    expect(read('where=duration over long;failed is maybe;service is berths').chips).toEqual([
      { ...is('service', 'berths'), on: true },
    ]);
  });

  it('keeps milliseconds of a dragged window', () => {
    const scope = { ...read(''), lit: { type: 'fixed' as const, from: 1_777_730_520_123, to: 1_777_734_120_456 } };
    expect(read(writeScope(scope).toString())).toEqual(scope);
    expect(writeScope(scope).get('from')).toBe('2026-05-02T14:02:00.123Z');
  });

  it('follows the clock when it says last, and asks with the window it is held against', () => {
    const now = Date.parse('2026-05-02T14:30Z');
    const window = { from: '2026-05-02T14:00:00.000Z', to: '2026-05-02T14:30:00.000Z' };
    expect(scopeQuery(read('last=30min'), now)).toEqual(window);
    expect(comparisonQuery(read('last=30min&before=week'), now)).toEqual({ ...window, before: 'week' });
  });
});

describe('chips', () => {
  it('take the place of one that says the same with another value', () => {
    const scope = withChip(withChip(read('last=1h'), is('service', 'berths')), is('service', 'holds'));
    expect(scope.chips).toEqual([{ ...is('service', 'holds'), on: true }]);
    expect(withoutChip(scope, is('service', 'holds')).chips).toEqual([]);
    expect(chosenValue(scope, 'service')).toBe('holds');
    expect(withValueTurned(scope, 'service', 'holds').chips).toEqual([]);
  });

  it('stand beside those that say something else of the field', () => {
    const scope = withChip(withChip(read(''), is('a', '1')), condition('a', 'is not', '2'));
    expect(chipQuery(scope.chips)).toEqual({ where: 'a is 1;a is not 2' });
  });

  it('do not narrow while they are off', () => {
    const scope = read('where=service is berths;duration over 250ms');
    const off = withChipChanged(scope, scope.chips[1], { ...scope.chips[1], on: false });
    expect(chipQuery(scope.chips)).toEqual({ where: 'service is berths;duration over 250ms' });
    expect(chipQuery(off.chips)).toEqual({ where: 'service is berths' });
    expect(chipQuery([])).toEqual({});
  });

  it('take a range of durations as a pair', () => {
    const scope = withDurations(read('last=1h'), 1_500_000_000, 4_000_000_000);
    expect(chipQuery(scope.chips)).toEqual({ where: 'duration at least 1.5s;duration at most 4s' });
    expect(durationBounds(scope)).toEqual({ least: 1_500_000_000, most: 4_000_000_000 });
    expect(withDurations(scope, undefined, undefined).chips).toEqual([]);
  });

  it.each([
    ['berths', 'service is berths'],
    ['POST /holds', 'entry is POST /holds'],
    ['> 3s', 'duration at least 3s'],
    ['< 250 ms', 'duration at most 250ms'],
    ['failed', 'failed is yes'],
    ['fine', 'failed is no'],
    ['ferry.vehicle_class is coach; failed', 'ferry.vehicle_class is coach;failed is yes'],
  ])('are typed: %s', (text, where) => {
    const next = readTypedChip(read(''), text);
    expect(typeof next === 'string' ? next : chipQuery(next.chips).where).toBe(where);
  });

  it('say why what was typed cannot be', () => {
    expect(readTypedChip(read(''), '> soon')).toBe('"soon" is no duration: try 3s or 250ms');
    expect(readTypedChip(read(''), ' ')).toBe('Nothing was typed');
    expect(readTypedChip(read(''), 'two words')).toContain('comes a word');
  });
});

describe('the before window', () => {
  const MIN = 60_000;
  const lit = { from: 1000 * MIN, to: 1030 * MIN };
  const at = (from: number, to: number) => ({ from: from * MIN, to: to * MIN });

  it('is written and read', () => {
    for (const text of ['calm', 'just', 'yesterday', 'week', '2026-05-02T14:02Z/2026-05-02T14:32Z'])
      expect(writeBefore(parseBefore(text)!)).toBe(text);
    for (const text of ['', 'soon', '2026-05-02T14:02Z', '2026-05-02T14:02Z/2026-05-02T13:02Z', 'a/b/c'])
      expect(parseBefore(text)).toBeUndefined();
  });

  it('lies just before, a day before, a week before', () => {
    expect(beforeAt({ type: 'just' }, lit)).toEqual(at(970, 1000));
    expect(beforeAt({ type: 'yesterday' }, lit)).toEqual(at(1000 - 1440, 1030 - 1440));
    expect(beforeAt({ type: 'week' }, lit)).toEqual(at(1000 - 10080, 1030 - 10080));
  });

  it('is the last time without trouble, a little before it began, and longer than a short window', () => {
    expect(beforeAt({ type: 'calm' }, lit)).toEqual(at(880, 1000));
    expect(beforeAt({ type: 'calm' }, { from: 1000 * MIN, to: 1003 * MIN })).toEqual(at(940, 1000));
    expect(beforeAt({ type: 'calm' }, at(1000, 1300))).toEqual(at(700, 1000));
    expect(beforeAt({ type: 'calm' }, lit, [at(990, 1030)])).toEqual(at(865, 985));
    // Between two troubles there is no room for it.
    expect(beforeAt({ type: 'calm' }, lit, [at(990, 1030), at(950, 960)])).toEqual(at(825, 945));
    // A third of what is wanted will do.
    expect(beforeAt({ type: 'calm' }, lit, [at(990, 1030), at(900, 940)], 800 * MIN)).toEqual(at(945, 985));
  });

  it('is of the same hours of the day before when the last calm is long ago', () => {
    const troubled = [at(2000, 2800)];
    expect(beforeAt({ type: 'calm' }, at(2700, 2730), troubled, 0)).toEqual(at(1215, 1335));
    expect(beforeAt({ type: 'calm' }, at(2700, 2730), [...troubled, at(1300, 1310)], 0)).toEqual(at(1875, 1995));
  });

  it('is what calm there is when none is long enough, within the window at last, and else just before', () => {
    expect(beforeAt({ type: 'calm' }, at(1000, 2000), [], 600 * MIN)).toEqual(at(600, 1000));
    expect(beforeAt({ type: 'calm' }, at(1000, 2000), [at(1500, 1900)], 980 * MIN)).toEqual(at(1000, 1495));
    expect(beforeAt({ type: 'calm' }, lit, [at(900, 1030)], 900 * MIN)).toEqual(at(970, 1000));
  });

  it('never touches trouble unless there is nothing else', () => {
    const troubles = fc.array(
      fc.tuple(fc.integer({ min: 0, max: 990 }), fc.integer({ min: 1, max: 200 })).map(([from, long]) => at(from, from + long)),
      { maxLength: 8 },
    );
    fc.assert(
      fc.property(troubles, fc.integer({ min: 1, max: 120 }), (list, minutes) => {
        const meets = (from: number, to: number) => list.some((it) => it.to > from && it.from - 5 * MIN < to);
        const found = lastCalm(at(1000, 1000 + minutes), list, 0);
        if (found) {
          expect(meets(found.from, found.to)).toBe(false);
          expect(found.from).toBeGreaterThanOrEqual(0);
          return;
        }
        // By trying every minute: there is none of ten minutes either.
        const least = Math.ceil(Math.max(10, minutes / 10));
        for (let end = 1000; end >= least; end--) expect(meets((end - least) * MIN, end * MIN)).toBe(true);
      }),
    );
  });
});
describe('a typed window', () => {
  const now = Date.parse('2026-05-02T15:00:00Z');
  const typed = (text: string, zone = 'UTC') => readTypedWindow(text, zone, now);
  const fixed = (from: string, to: string) => ({ type: 'fixed', from: Date.parse(from), to: Date.parse(to) });

  it('is a stretch back from now', () => {
    expect(typed('last 2 h')).toEqual({ type: 'last', ms: 7_200_000 });
    expect(typed('30min')).toEqual({ type: 'last', ms: 1_800_000 });
  });

  it('has days, by name, by date, or as a standard writes them', () => {
    // 2 May 2026 is a Saturday.
    expect(typed('yesterday')).toEqual(fixed('2026-05-01T00:00Z', '2026-05-02T00:00Z'));
    expect(typed('Thu 14:02 to 14:32')).toEqual(fixed('2026-04-30T14:02Z', '2026-04-30T14:32Z'));
    expect(typed('1 May 22:45 to 23:30')).toEqual(fixed('2026-05-01T22:45Z', '2026-05-01T23:30Z'));
    expect(typed('May 1, 22:45 for 20 min')).toEqual(fixed('2026-05-01T22:45Z', '2026-05-01T23:05Z'));
    expect(typed('1 May 23:40 to 00:20')).toEqual(fixed('2026-05-01T23:40Z', '2026-05-02T00:20Z'));
    expect(typed('30 Dec')).toEqual(fixed('2025-12-30T00:00Z', '2025-12-31T00:00Z'));
    expect(typed('2026-04-27 to 2026-04-28')).toEqual(fixed('2026-04-27T00:00Z', '2026-04-29T00:00Z'));
    expect(typed('2026-04-27T10:00 to 2026-04-28 09:00')).toEqual(fixed('2026-04-27T10:00Z', '2026-04-28T09:00Z'));
    expect(typed('yesterday', 'Europe/Berlin')).toEqual(fixed('2026-04-30T22:00Z', '2026-05-01T22:00Z'));
    for (const text of ['31 April', '2026-02-30', 'someday', '1 May 25:00', '2 May to 1 May'])
      expect(typed(text)).toBeUndefined();
  });

  it('of a day on which the clocks change is as long as that day was', () => {
    const after = Date.parse('2026-10-26T12:00:00Z');
    const then = (text: string) => readTypedWindow(text, 'Europe/Berlin', after);
    expect(then('yesterday')).toEqual(fixed('2026-10-24T22:00Z', '2026-10-25T23:00Z'));
    expect(then('29 mar')).toEqual(fixed('2026-03-28T23:00Z', '2026-03-29T22:00Z'));
    expect(then('2026-10-24 to 2026-10-25')).toEqual(fixed('2026-10-23T22:00Z', '2026-10-25T23:00Z'));
    expect(then('25 oct 01:00 to 25 oct 05:00')).toEqual(fixed('2026-10-24T23:00Z', '2026-10-25T04:00Z'));
  });

  it('is between two times of day, the latest that have begun', () => {
    expect(typed('14:02 to 14:32')).toEqual(fixed('2026-05-02T14:02Z', '2026-05-02T14:32Z'));
    expect(typed('16:00-16:30')).toEqual(fixed('2026-05-01T16:00Z', '2026-05-01T16:30Z'));
    expect(typed('23:40 – 00:20')).toEqual(fixed('2026-05-01T23:40Z', '2026-05-02T00:20Z'));
    expect(typed('14:50 to 15:20')).toEqual(fixed('2026-05-02T14:50Z', '2026-05-02T15:20Z'));
  });

  it('is so long from a time, or the half hour about it', () => {
    expect(typed('14:02 for 20 min')).toEqual(fixed('2026-05-02T14:02Z', '2026-05-02T14:22Z'));
    expect(typed('14:00')).toEqual(fixed('2026-05-02T13:45Z', '2026-05-02T14:15Z'));
  });

  it('is of the viewer’s zone', () => {
    expect(typed('19:32 to 20:02', 'Asia/Kolkata')).toEqual(fixed('2026-05-02T14:02Z', '2026-05-02T14:32Z'));
  });

  it('is not guessed', () => {
    for (const text of ['', 'noon', '25:00', 'last 999999999 h', '14:02 to', '14:02 to soon', '1 to 2 to 3'])
      expect(typed(text)).toBeUndefined();
  });
});

describe('a pasted reference', () => {
  const id = '0af7651916cd43dd8448eb211c80319c';

  it('is found alone, in a header and in the middle of a line', () => {
    expect(readTraceReference(id.toUpperCase())).toEqual({ traceId: id });
    expect(readTraceReference(`traceparent: 00-${id}-b7ad6b7169203331-01`)).toEqual({ traceId: id, spanId: 'b7ad6b7169203331' });
    expect(readTraceReference(`failed with trace_id=${id} at 14:02`)).toEqual({ traceId: id });
  });

  it('is not made of what only looks like it', () => {
    expect(readTraceReference('0'.repeat(32))).toBeUndefined();
    expect(readTraceReference(`${id}ff`)).toBeUndefined();
    expect(readTraceReference('POST /holds')).toBeUndefined();
  });
});
