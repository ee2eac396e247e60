import type { NowAnswer, NowRow } from '../../api/now/now.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { stateWords } from '../../ui/verdict/verdictWords.ts';

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
    if (rows.length > 0 && rows.every((it) => it.state === 'unknown'))
      return rows.some((it) => it.before.calls > 0) ? 'Too few requests to say how it is' : 'No reference yet';
    const perhaps = rows.filter(({ state }) => state === 'perhaps').length;
    if (perhaps > 0) return `${counted(perhaps, subject)} may be worse; the rest is as usual`;
    // Of what was held against nothing but itself it can't be said that it is well.
    if (rows.some(({ basis, state }) => state === 'calm' && basis === 'within')) return 'Nothing stands out; no reference yet';
    const since = answer.calmSince;
    const litFrom = Date.parse(answer.lit.from);
    return since !== null && since <= litFrom ? `All is well since ${dayTime(since, zone, now)}` : 'All is well';
  }
  const begun = worse.flatMap((it) => (it.since === null ? [] : [it.since]));
  const after = begun.length > 0 ? ` after ${dayTime(Math.min(...begun), zone, now)}` : '';
  const hasReference = worse.some(({ basis }) => basis === 'before');
  return hasReference
    ? `${counted(worse.length, subject)} got worse${after}`
    : `${counted(worse.length, subject)} ${worse.length === 1 ? 'stands' : 'stand'} out; no reference yet`;
}

function counted(count: number, subject: 'journey' | 'service'): string {
  return `${NUMBERS[count] ?? String(count)} ${subject}${count === 1 ? '' : 's'}`;
}

/** "since 14:04 · 1 318 requests · 74 users affected" */
export function rowWords(row: NowRow, zone: string, now: number): string {
  if (row.lit.calls === 0) return 'no request now';
  const said = stateWords(row, row.before.calls > 0);
  if (!isWorse(row)) return `${requests(row)}, ${said}`;
  return [
    row.since === null ? '' : `since ${dayTime(row.since, zone, now)}`,
    requests(row),
    row.users ? `${formatCount(row.users)} ${row.users === 1 ? 'user' : 'users'} affected` : '',
    said,
  ]
    .filter((it) => it !== '')
    .join(' · ');
}

function requests({ lit }: NowRow): string {
  return `${formatCount(lit.calls)} ${lit.calls === 1 ? 'request' : 'requests'}`;
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
