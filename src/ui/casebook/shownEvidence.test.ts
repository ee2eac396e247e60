import { describe, expect, it } from 'vitest';
import { evidenceSchema } from '../../formats/casebook/evidenceSchema.ts';
import { shownEvidence } from './shownEvidence.ts';

const iso = (minute: number) => new Date(Date.UTC(2026, 4, 2, 14, minute)).toISOString();

describe('a picture or table of a page as evidence', () => {
  it('is values over time where its rows are times a step apart', () => {
    const rows = Array.from({ length: 5 }, (_, at) => [iso(at), at, at === 2 ? null : 2 * at]);
    expect(shownEvidence({ title: 'p95', columns: ['time', 'lit', 'before p95'], rows })).toEqual({
      form: 'series',
      title: 'p95',
      unit: 'number',
      from: Date.UTC(2026, 4, 2, 14),
      stepMs: 60_000,
      lines: [
        { name: 'lit', role: 'lit', values: [0, 1, 2, 3, 4] },
        { name: 'before p95', role: 'before', values: [0, 2, null, 6, 8] },
      ],
      lit: null,
    });
  });

  it('is a table where times are not evenly apart, or something else than numbers stands beside them', () => {
    const uneven = [0, 1, 2, 4].map((minute) => [iso(minute), minute]);
    expect(shownEvidence({ title: '', columns: ['time', 'n'], rows: uneven })).toMatchObject({
      form: 'table',
      columns: [
        { title: 'time', unit: 'time' },
        { title: 'n', unit: 'number' },
      ],
    });
    const worded = [0, 1, 2, 3].map((minute) => [iso(minute), 'text']);
    expect(shownEvidence({ title: '', columns: ['time', 'what'], rows: worded }).form).toBe('table');
  });

  it('is cut where it is endless, and says how much is left out', () => {
    const it = shownEvidence({
      title: 'long',
      columns: Array.from({ length: 80 }, (_, at) => `c${at}`),
      rows: Array.from({ length: 700 }, () => Array.from({ length: 80 }, () => 'x'.repeat(9_000))),
    });
    expect(it).toMatchObject({ form: 'table', leftOut: 200 });
    if (it.form !== 'table') return;
    expect([it.columns.length, it.rows.length, it.rows[0].length, String(it.rows[0][0]).length]).toEqual([40, 500, 40, 2_000]);
  });

  it('has no number that JSON has not', () => {
    const it = shownEvidence({ title: '', columns: ['a'], rows: [[Number.NaN], [Number.POSITIVE_INFINITY], [1]] });
    expect(evidenceSchema.parse(JSON.parse(JSON.stringify(it)))).toEqual(it);
    expect(it).toMatchObject({ rows: [[null], [null], [1]] });
  });
});
