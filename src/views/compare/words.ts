import type { TraceComparison } from '../../api/traces/compare.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { shownName } from '../../ui/list/shownName.ts';

type Row = TraceComparison['rows'][number];

/** A difference with its sign: "+8.24 s", "−12.0 ms". */
export function signed(ns: number): string {
  return `${ns < 0 ? '−' : '+'}${formatDuration(Math.abs(Math.round(ns)))}`;
}

/** What a side is called. */
export function sideName({ a, b }: TraceComparison, which: 'a' | 'b'): string {
  const it = which === 'a' ? a : b;
  return it.traceId === null
    ? `the typical one (${it.traces} of ${formatCount(it.of)})`
    : `${it.traceId.slice(0, 4)}…${it.traceId.slice(-4)}`;
}

/** The comparison in one sentence: "9.34 s longer, of which 8.24 s are manifests waiting for a connection". */
export function headline({ a, b, ledger }: TraceComparison): string {
  const difference = b.durationNs - a.durationNs;
  if (Math.abs(difference) < Math.max(a.durationNs, b.durationNs) * 0.02) return 'As long as each other, within 2 %';
  const most = difference > 0 ? ledger[0] : ledger.at(-1);
  const word = difference > 0 ? 'longer' : 'shorter';
  const whole = `${formatDuration(Math.abs(Math.round(difference)))} ${word}`;
  if (!most) return whole;
  const part = most.bNs - most.aNs;
  const what = `${shownName(most.party)} ${KIND_WORDS[most.kind]}`;
  return Math.sign(part) === Math.sign(difference)
    ? `${whole}, of which ${formatDuration(Math.abs(Math.round(part)))} is ${what}`
    : whole;
}

/** What is to be said of a row: in one side only, or how its part of the critical path changed. */
export function standing({ a, b }: Row): 'new' | 'missing' | 'slower' | 'faster' | 'alike' {
  if (!a) return 'new';
  if (!b) return 'missing';
  const difference = b.pathNs - a.pathNs;
  const base = Math.max(a.pathNs, b.pathNs);
  if (Math.abs(difference) < 1e5 || Math.abs(difference) < 0.1 * base) return 'alike';
  return difference > 0 ? 'slower' : 'faster';
}

/** In most traces of one side, and in none of the other. */
function isOfOneSide({ a, b }: Row): boolean {
  return a === null ? (b?.presence ?? 0) >= 0.5 : b === null && a.presence >= 0.5;
}

/** The rows that matter: those whose own difference is a hundredth of the largest, those of one side alone, and what is above them. */
export function rowsThatDiffer(rows: readonly Row[]): Set<number> {
  const differenceOf = ({ a, b }: Row) => Math.abs((b?.pathNs ?? 0) - (a?.pathNs ?? 0));
  const most = rows.reduce((best, row) => Math.max(best, differenceOf(row)), 0);
  const kept = new Set<number>();
  for (const [at, row] of rows.entries())
    if (differenceOf(row) > most / 100 || isOfOneSide(row))
      for (let it = at; it >= 0 && !kept.has(it); it = rows[it].parent) kept.add(it);
  return kept;
}
