import type { NowAnswer, NowRow } from '../../api/now/now.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';

const NUMBERS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten', 'Eleven', 'Twelve'];

export function isWorse({ state }: NowRow): boolean {
  return state === 'failing' || state === 'strained';
}

/** What the page shows, as a sentence made from its numbers. @param now epoch milliseconds, what "today" is */
export function nowHeadline(answer: NowAnswer | undefined, subject: 'journey' | 'service', zone: string, now: number): string {
  if (!answer) return 'Looking …';
  const rows = subject === 'journey' ? answer.journeys : answer.services;
  const worse = rows.filter(isWorse);
  if (worse.length === 0) {
    if (answer.requests.lit === 0) return 'No request in the lit window';
    if (answer.requests.before === 0) return 'Nothing to hold it against';
    if (rows.length > 0 && rows.every((it) => it.state === 'unknown')) return 'Too few requests to say how it is';
    const since = answer.calmSince;
    const litFrom = Date.parse(answer.lit.from);
    return since !== null && since <= litFrom ? `All is well since ${dayTime(since, zone, now)}` : 'All is well';
  }
  const count = NUMBERS[worse.length] ?? String(worse.length);
  const begun = worse.flatMap((it) => (it.since === null ? [] : [it.since]));
  const after = begun.length > 0 ? ` after ${dayTime(Math.min(...begun), zone, now)}` : '';
  return `${count} ${subject}${worse.length === 1 ? '' : 's'} got worse${after}`;
}

/** "since 14:04 · 1 318 requests · 74 users affected" */
export function rowWords(row: NowRow, zone: string, now: number): string {
  if (row.state === 'unknown') {
    if (row.lit.calls === 0) return 'no request now';
    return `${requests(row)}, ${row.before.calls === 0 ? 'none before to hold against' : 'too few to say'}`;
  }
  if (!isWorse(row)) {
    const moved = (row.lit.p95Ns ?? 0) >= 1.25 * (row.before.p95Ns ?? Number.POSITIVE_INFINITY) && (row.lit.p95Ns ?? 0) > 2e7;
    return `${requests(row)}, ${moved ? 'no more than chance' : 'inside the usual range'}`;
  }
  return [
    row.since === null ? '' : `since ${dayTime(row.since, zone, now)}`,
    requests(row),
    row.users ? `${formatCount(row.users)} ${row.users === 1 ? 'user' : 'users'} affected` : '',
  ]
    .filter((it) => it !== '')
    .join(' · ');
}

function requests({ lit }: NowRow): string {
  return `${formatCount(lit.calls)} ${lit.calls === 1 ? 'request' : 'requests'}`;
}

/** What changed, before → lit: "p95 0.61 → 7.4 s", "failing 0.1 → 4.2 %". */
export function changeWords(row: NowRow): string {
  const share = (it: NowRow['lit']) => (it.calls === 0 ? 0 : it.failures / it.calls);
  if (row.changed === 'failures') return `failing ${formatShare(share(row.before))} → ${formatShare(share(row.lit))}`;
  const measure = row.changed ?? 'p95';
  const of = (it: NowRow['lit']) => (measure === 'p50' ? it.p50Ns : it.p95Ns);
  const told = (ns: number | null) => (ns === null ? '–' : formatDuration(ns));
  return `${measure} ${told(of(row.before))} → ${told(of(row.lit))}`;
}

/** "58 min of extra waiting · 212 failed more" */
export function harmWords({ extraWaitingNs, extraFailures }: NowRow): string {
  const failed = Math.round(extraFailures);
  return (
    [
      extraWaitingNs >= 1e9 ? `${formatDuration(extraWaitingNs)} of extra waiting` : '',
      failed > 0 ? `${formatCount(failed)} more failed` : '',
    ]
      .filter((it) => it !== '')
      .join(' · ') || '–'
  );
}
