import { describe, expect, it } from 'vitest';
import { everyForm } from '../../../../tests/support/everyForm.ts';
import { evidenceSchema } from '../../../formats/casebook/evidenceSchema.ts';
import type { Evidence } from './evidence.ts';
import { tableOf } from './tableOf.ts';
import { momentText, valueText } from './valueText.ts';

const EVERY_FORM = everyForm('PUT /bookings/{ref}');

describe('a value', () => {
  it.each([
    [50_000_000_000, 'duration', '50.0 s'],
    [240, 'count', '240'],
    [31_400, 'count', '31\u202f400'],
    [0.8142, 'share', '81.4 %'],
    [0.0004, 'share', '<0.1 %'],
    [0, 'share', '0 %'],
    [1, 'share', '100 %'],
    [1.234, 'rate', '1.23 /s'],
    [41_300_000, 'bytes', '41.3 MB'],
    [0.05, 'number', '0.05'],
    [null, 'duration', '–'],
    ['as it is', 'text', 'as it is'],
  ] as const)('%s as %s reads "%s"', (value, unit, text) => {
    expect(valueText(value, unit, 'UTC')).toBe(text);
  });

  it('that is a time names its day and zone, which it need not among others of the day', () => {
    const at = Date.parse('2026-05-02T14:06:31Z');
    expect(momentText(at, 'UTC')).toBe('2 May 2026 14:06:31 UTC');
    expect(valueText(at, 'time', 'UTC')).toBe('2 May 2026 14:06:31 UTC');
    expect(valueText(at, 'time', 'UTC', at + 60_000)).toBe('14:06');
  });
});

describe('the table behind evidence', () => {
  it.each(EVERY_FORM.map((it) => [it.form, it] as const))('%s has a cell for each column in each row', (_, evidence) => {
    const { columns, rows } = tableOf(evidence);
    expect(columns.length).toBeGreaterThan(0);
    expect(rows.length).toBeGreaterThan(0);
    for (const row of rows) expect(row).toHaveLength(columns.length);
  });

  it('of distributions counts every request once', () => {
    const spread = EVERY_FORM.find((it) => it.form === 'spread') as Extract<Evidence, { form: 'spread' }>;
    const sum = (column: number) => tableOf(spread).rows.reduce((total, row) => total + Number(row[column]), 0);
    const of = (side: 'before' | 'lit') => spread[side].reduce((total, [, count]) => total + count, 0);
    expect([sum(1), sum(2)]).toEqual([of('before'), of('lit')]);
  });

  it('of parts gives shares that add up to the whole', () => {
    const parts = EVERY_FORM.find((it) => it.form === 'parts')!;
    const { columns, rows } = tableOf(parts);
    const at = columns.findIndex(({ title }) => title === 'share');
    expect(rows.reduce((sum, row) => sum + Number(row[at]), 0)).toBeCloseTo(1, 12);
  });

  it('of a trace sums each span’s stretches of the critical path', () => {
    const timeline = EVERY_FORM.find((it) => it.form === 'timeline') as Extract<Evidence, { form: 'timeline' }>;
    const { rows } = tableOf(timeline);
    expect(rows.reduce((sum, row) => sum + Number(row[4]), 0)).toBe(timeline.durationNs);
  });
});

describe('the schema', () => {
  it.each(EVERY_FORM.map((it) => [it.form, it] as const))('takes %s as it is, through JSON', (_, evidence) => {
    expect(evidenceSchema.parse(JSON.parse(JSON.stringify(evidence)))).toEqual(evidence);
  });

  it('refuses a form that nobody draws, and numbers that JSON has not', () => {
    expect(evidenceSchema.safeParse({ form: 'hologram', title: '' }).success).toBe(false);
    expect(
      evidenceSchema.safeParse({
        form: 'parts',
        title: '',
        unit: 'count',
        whole: null,
        parts: [{ name: '', note: '', kind: '', value: null, before: null }],
      }).success,
    ).toBe(false);
  });
});
