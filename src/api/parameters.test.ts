import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import {
  conditionsText,
  filterParameters,
  isoTime,
  spanIdText,
  traceFilter,
  traceIdText,
  wholeNumber,
  yesNo,
} from './parameters.ts';

const filter = z.strictObject(filterParameters);
/** What is said of a text that is not understood. */
const refusal = (schema: z.ZodType, text: string) => schema.safeParse(text).error?.issues[0].message;

describe('what stands in an address', () => {
  it('is a time with a zone, within what is ever stored', () => {
    expect(isoTime.parse('2026-05-02T14:02:00Z')).toBe(BigInt(Date.parse('2026-05-02T14:02:00Z')) * 1_000_000n);
    expect(isoTime.parse('2026-05-02T16:02:00+02:00')).toBe(isoTime.parse('2026-05-02T14:02:00Z'));
    expect(isoTime.parse('1900-01-01T00:00:00Z')).toBe(0n);
    expect(isoTime.parse('9999-12-31T00:00:00Z')).toBe(2n ** 63n - 1n);
  });

  it.each([
    [isoTime, 'yesterday', '"yesterday" is not an ISO 8601 time with a zone'],
    [isoTime, '', 'is not an ISO 8601 time'],
    [traceIdText, '0'.repeat(32), 'not all zero'],
    [traceIdText, 'g'.repeat(32), '32 hex digits'],
    [traceIdText, '1'.repeat(31), '32 hex digits'],
    [spanIdText, '1'.repeat(17), '16 hex digits'],
    [yesNo, 'yes', 'true or false is expected'],
    [wholeNumber(1, 10, 5), '11', 'a whole number from 1 to 10 is expected'],
    [wholeNumber(1, 10, 5), '2.5', 'a whole number from 1 to 10 is expected'],
    [wholeNumber(1, 10, 5), 'many', 'a whole number from 1 to 10 is expected'],
    [conditionsText, 'duration over long', 'no duration'],
    [conditionsText, Array.from({ length: 31 }, (_, at) => `a is ${at}`).join(';'), '31 conditions, 30 at most'],
  ] as [z.ZodType, string, string][])('is refused in words: %#', (schema, text, words) => {
    expect(refusal(schema, text)).toContain(words);
  });

  it('is cut where it is said again: an address may be long', () => {
    expect(refusal(isoTime, 'x'.repeat(100_000))!.length).toBeLessThan(200);
  });

  it('is a list of conditions, none for an empty one', () => {
    expect(conditionsText.parse('')).toEqual([]);
    expect(conditionsText.parse('entry is POST /holds;duration over 3s')).toHaveLength(2);
    expect(conditionsText.parse(Array.from({ length: 30 }, (_, at) => `a is ${at}`).join(';'))).toHaveLength(30);
  });
});

describe('the narrowing', () => {
  const of = (query: Record<string, string>) => traceFilter(filter.parse(query));

  it('has durations in whole nanoseconds that let pass neither more nor less than was said', () => {
    expect(of({ minDurationMs: '0.0000004', maxDurationMs: '0.0000016' })).toMatchObject({ minDurationNs: 1, maxDurationNs: 1 });
    expect(of({ minDurationMs: '1.5' })).toMatchObject({ minDurationNs: 1_500_000, maxDurationNs: undefined });
    expect(of({ maxDurationMs: '1e300' }).maxDurationNs).toBe(Number.MAX_SAFE_INTEGER);
  });

  it.each(['-1', '', ' ', 'NaN', 'Infinity', '1s'])('refuses a duration of "%s"', (minDurationMs) => {
    expect(filter.safeParse({ minDurationMs }).success).toBe(false);
  });

  it('replaces what the store cannot hold, as it is replaced when it comes in', () => {
    expect(of({ service: 'ber\u0000ths' }).service).not.toContain('\u0000');
  });

  it('knows no other parameter', () => {
    expect(filter.safeParse({ servise: 'berths' }).success).toBe(false);
    expect(of({ failed: 'true', entry: 'POST /holds' })).toMatchObject({ failed: true, entry: 'POST /holds' });
  });
});
