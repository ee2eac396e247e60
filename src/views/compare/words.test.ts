import { describe, expect, it } from 'vitest';
import type { TraceComparison } from '../../api/traces/compare.ts';
import { headline, rowsThatDiffer, sideName, signed, standing } from './words.ts';

type Row = TraceComparison['rows'][number];
const ms = 1e6;
const side = (pathNs: number): Row['a'] => ({
  count: 1,
  presence: 1,
  startNs: 0,
  endNs: pathNs,
  totalNs: pathNs,
  pathNs,
  failed: 0,
  spanId: null,
});
const row = (parent: number, a: number | null, b: number | null): Row => ({
  service: 'holds',
  operation: 'hold.create',
  kind: 'internal',
  depth: 0,
  parent,
  a: a === null ? null : side(a),
  b: b === null ? null : side(b),
});
const end = (durationNs: number, traceId: string | null): TraceComparison['a'] => ({
  traceId,
  traces: traceId ? 1 : 40,
  of: traceId ? 1 : 1200,
  start: null,
  service: 'gangway',
  operation: 'POST /holds',
  durationNs,
});
const between = (a: number, b: number, ledger: TraceComparison['ledger']): TraceComparison => ({
  a: end(a, null),
  b: end(b, 'ab'.repeat(16)),
  rows: [],
  ledger,
});

describe('two traces in words', () => {
  it('says how much longer, and what most of that is', () => {
    const ledger = [
      { party: 'manifests', kind: 'pool' as const, aNs: 0, bNs: 800 * ms },
      { party: 'fares', kind: 'own' as const, aNs: 50 * ms, bNs: 40 * ms },
    ];
    expect(headline(between(100 * ms, 900 * ms, ledger))).toBe(
      '800 ms longer, of which 800 ms is manifests waiting for a connection',
    );
    expect(
      headline(
        between(
          900 * ms,
          100 * ms,
          [...ledger].reverse().map((it) => ({ ...it, aNs: it.bNs, bNs: it.aNs })),
        ),
      ),
    ).toBe('800 ms shorter, of which 800 ms is manifests waiting for a connection');
    expect(headline(between(100 * ms, 101 * ms, ledger))).toBe('As long as each other, within 2 %');
    expect([signed(-12 * ms), signed(0)]).toEqual(['−12.0 ms', '+0 ns']);
  });

  it('names the sides', () => {
    const it = between(1, 2, []);
    expect([sideName(it, 'a'), sideName(it, 'b')]).toEqual(['the typical one (40 of 1\u202f200)', 'abab…abab']);
  });

  it('tells new, missing, slower and faster rows from those that are alike', () => {
    expect(
      [row(-1, null, 5), row(-1, 5, null), row(-1, 10 * ms, 12 * ms), row(-1, 12 * ms, 10 * ms), row(-1, 10 * ms, 10.5 * ms)].map(
        standing,
      ),
    ).toEqual(['new', 'missing', 'slower', 'faster', 'alike']);
  });

  it('leaves the rows that differ, with what is above them', () => {
    const rows = [row(-1, 5 * ms, 5 * ms), row(0, ms, ms), row(0, ms, ms), row(2, ms, 90 * ms), row(1, null, 0)];
    expect([...rowsThatDiffer(rows)].sort()).toEqual([0, 1, 2, 3, 4]);
    expect([...rowsThatDiffer(rows.slice(0, 4))].sort()).toEqual([0, 2, 3]);
  });
});
