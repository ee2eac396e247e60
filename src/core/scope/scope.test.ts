import { describe, expect, it } from 'vitest';
import {
  chipQuery,
  type LitWindow,
  readScope,
  scopeQuery,
  withChip,
  withChipSwitched,
  withDurations,
  withoutChip,
  writeScope,
} from './scope.ts';
import { readTraceReference } from './traceReference.ts';
import { readTypedChip } from './typedChip.ts';
import { readTypedWindow } from './typedWindow.ts';

const HOUR: LitWindow = { type: 'last', ms: 3_600_000 };
const read = (query: string) => readScope(new URLSearchParams(query), HOUR);

describe('a scope in a URL', () => {
  it('is read, and written back to the same', () => {
    const query = 'from=2026-05-02T14:02Z&to=2026-05-02T14:32Z&entry=POST /holds&service=berths&slower=3s&failed=yes&off=service';
    const scope = read(query);
    expect(scope).toEqual({
      lit: { type: 'fixed', from: Date.parse('2026-05-02T14:02Z'), to: Date.parse('2026-05-02T14:32Z') },
      chips: [
        { field: 'entry', value: 'POST /holds', on: true },
        { field: 'service', value: 'berths', on: false },
        { field: 'slower', value: '3s', on: true },
        { field: 'failed', value: 'yes', on: true },
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

  it('leaves out a chip that cannot be understood', () => {
    expect(read('slower=long&failed=maybe&service=').chips).toEqual([]);
  });

  it('keeps milliseconds of a dragged window', () => {
    const scope = { lit: { type: 'fixed' as const, from: 1_777_730_520_123, to: 1_777_734_120_456 }, chips: [] };
    expect(read(writeScope(scope).toString())).toEqual(scope);
  });

  it('follows the clock when it says last', () => {
    expect(scopeQuery(read('last=30min'), Date.parse('2026-05-02T14:30Z'))).toEqual({
      from: '2026-05-02T14:00:00.000Z',
      to: '2026-05-02T14:30:00.000Z',
    });
  });
});

describe('chips', () => {
  it('are one a field; a later takes the place of the former', () => {
    const scope = withChip(withChip(read('last=1h'), 'service', 'berths'), 'service', 'holds');
    expect(scope.chips).toEqual([{ field: 'service', value: 'holds', on: true }]);
    expect(withoutChip(scope, 'service').chips).toEqual([]);
  });

  it('do not narrow while they are off', () => {
    const scope = read('service=berths&slower=250ms&faster=2s&failed=no');
    expect(chipQuery(scope.chips)).toEqual({ service: 'berths', minDurationMs: '250', maxDurationMs: '2000', failed: 'false' });
    expect(chipQuery(withChipSwitched(scope, 'slower').chips)).toEqual({
      service: 'berths',
      maxDurationMs: '2000',
      failed: 'false',
    });
  });

  it('take a range of durations as a pair', () => {
    expect(withDurations(read('slower=1s'), undefined, 2e9).chips).toEqual([{ field: 'faster', value: '2s', on: true }]);
  });
});

describe('a typed chip', () => {
  const typed = (text: string, before = '') => {
    const scope = readTypedChip(read(before), text);
    return typeof scope === 'string' ? scope : scope.chips.map(({ field, value }) => `${field} ${value}`);
  };

  it('is a service, an entry, a bound of duration, an outcome', () => {
    expect(typed('berths')).toEqual(['service berths']);
    expect(typed(' POST /holds ')).toEqual(['entry POST /holds']);
    expect(typed('> 3s')).toEqual(['slower 3s']);
    expect(typed('<250 ms', 'slower=100ms')).toEqual(['slower 100ms', 'faster 250ms']);
    expect([typed('failed'), typed('fine')]).toEqual([['failed yes'], ['failed no']]);
  });

  it('says what it does not understand', () => {
    expect(typed('> soon')).toBe('"soon" is no duration: try 3s or 250ms');
    expect(typed('  ')).toBe('Nothing was typed');
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
