import type { DatabaseStatement } from '../../api/databases/statement.ts';
import type { StatementTimes } from '../../api/databases/statementTimes.ts';
import { CLASS_WORDS } from '../../core/database/waitClasses.ts';
import { changeWords, formatSessions, topClass } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';

/** Milliseconds of a call, in the unit that reads best. */
export function callTime(ms: number): string {
  return formatDuration(ms * 1e6);
}

/** A number of rows or blocks. */
export function amount(value: number): string {
  if (value === 0) return '0';
  return value >= 100 ? formatCount(Math.round(value)) : String(Number(value.toPrecision(3)));
}

/** Where a quantile of times lies: "14.0–21.0 ms", "786 ms–1.05 s". */
export function rangeText({ low, high }: NonNullable<StatementTimes['lit']['p95']>): string {
  const [from, to] = [formatDuration(low), formatDuration(high)];
  const unit = / ?\D+$/.exec(to)?.[0] ?? '';
  return `${unit !== '' && from.endsWith(unit) ? from.slice(0, -unit.length) : from}–${to}`;
}

/** What p50 and p95 rest on. */
export function timesWords({ entries, lit, before }: StatementTimes): string {
  if (entries.length === 0) return 'p50 and p95: no sample in this window names a stored request that ran it.';
  if (lit.calls + before.calls === 0)
    return `p50 and p95: in ${formatCount(lit.read)} requests that may run it, no span calls this server with its text.`;
  const few = [lit.p50, lit.p95, before.p50, before.p95].every(Boolean) ? '' : ' –: not enough calls.';
  return `p50 and p95 by the spans of callers: ${formatCount(lit.calls)} calls in ${formatCount(lit.read)} of ${formatCount(lit.total)} requests, before ${formatCount(before.calls)}; below each its 95 % range.${few}`;
}

/** What the page of a statement says of it in one sentence. */
export function statementHeadline(it: DatabaseStatement): string {
  const { title, cost, lit, before, move } = it;
  const top = lit && topClass(lit.byClass);
  const waiting =
    top && top.waitClass !== 'CPU' && top.share >= 0.5
      ? `, ${formatShare(top.share)} of it ${CLASS_WORDS[top.waitClass].short}`
      : '';
  if (cost.lit && cost.before) {
    const ratio = cost.lit.ms / cost.before.ms;
    const change = `${callTime(cost.before.ms)} → ${callTime(cost.lit.ms)} a call`;
    if (ratio >= 1.25) return `${title}: ${change}${waiting}`;
    if (ratio <= 0.8) return `${title}: ${change}, faster than before`;
    if (cost.lit.calls >= 1.5 * cost.before.calls && move === 'up')
      return `${title}: as fast as before, called ${amount(cost.lit.calls / cost.before.calls)} × as often`;
  }
  if (!lit || lit.value < 0.005)
    return `${title}: ${cost.lit ? `${callTime(cost.lit.ms)} a call` : 'was not seen at work in this window'}`;
  if (move === 'up' || move === 'down') return `${title}: ${changeWords(before?.byClass ?? null, lit.byClass)}${waiting}`;
  const now = `${title}: ${formatSessions(lit.value)} sessions${waiting}`;
  return move === 'flat' ? `${now}, as before` : `${now}; too few samples to compare`;
}
