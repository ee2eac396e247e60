import type { Around } from '../../api/now/around.ts';
import type { NowAnswer, NowRow } from '../../api/now/now.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { noReferenceWords, stateWords } from '../../ui/verdict/verdictWords.ts';
import type { VisitorGlance } from './visitorGlances.ts';

const NUMBERS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten', 'Eleven', 'Twelve'];

export function isWorse({ state }: NowRow): boolean {
  return state === 'failing' || state === 'strained';
}

/**
 * What the page shows, as a sentence made from its numbers. The requests may go as ever while pages are dead: that all is well is said only
 * when it is known of visitors, too.
 *
 * @param visitors undefined as long as that is not known @param now epoch milliseconds, what "today" is
 */
export function nowHeadline(
  answer: NowAnswer | undefined,
  subject: 'journey' | 'service',
  visitors: readonly VisitorGlance[] | undefined,
  zone: string,
  now: number,
): string {
  if (!answer) return 'Looking …';
  const rows = subject === 'journey' ? answer.journeys : answer.services;
  const worse = rows.filter(isWorse);
  const ill =
    visitors && (visitors.find(({ state }) => state === 'failing') ?? visitors.find(({ state }) => state === 'strained'));
  if (worse.length === 0) {
    if (answer.requests.lit === 0) return 'No request in the lit window';
    if (rows.length > 0 && rows.every((it) => it.state === 'unknown'))
      return rows.some((it) => it.before.calls > 0) ? 'Too few requests to say how it is' : 'No reference yet';
    const perhaps = rows.filter(({ state }) => state === 'perhaps').length;
    if (perhaps > 0) {
      const may = `${counted(perhaps, subject)} may be worse`;
      // As long as it is not known how visitors fare, nothing is said of the rest.
      return visitors ? `${may}; ${ill ? `${ill.app}: ${ill.words}` : 'the rest is as usual'}` : may;
    }
    // Of what was held against nothing but itself it can't be said that it is well.
    const alone = rows.filter(({ basis, state }) => state === 'calm' && basis === 'within');
    if (alone.length > 0 && ill) return `No ${subject} stands out, but ${ill.app} does: ${ill.words}`;
    if (alone.length > 0) return `Nothing stands out; ${noReferenceFor(alone)}`;
    const usual = `All ${subject}s are as usual`;
    if (ill) return `${usual}, but ${ill.app} is not: ${ill.words}`;
    if (!visitors) return usual;
    const since = answer.calmSince;
    const litFrom = Date.parse(answer.lit.from);
    return since !== null && since <= litFrom ? `All is well since ${dayTime(since, zone, now)}` : 'All is well';
  }
  const begun = worse.flatMap((it) => (it.since === null ? [] : [it.since]));
  const after = begun.length > 0 ? ` after ${dayTime(Math.min(...begun), zone, now)}` : '';
  // Pages may be slow since a journey is; that an application throws people out is one trouble more.
  const besides = ill?.state === 'failing' ? `; ${ill.app}: ${ill.words}` : '';
  const hasReference = worse.some(({ basis }) => basis === 'before');
  return hasReference
    ? `${counted(worse.length, subject)} got worse${after}${besides}`
    : `${counted(worse.length, subject)} ${worse.length === 1 ? 'stands' : 'stand'} out; ${noReferenceFor(worse)}${besides}`;
}

function noReferenceFor(rows: readonly NowRow[]): string {
  return noReferenceWords(rows.some(({ before }) => before.calls > 0));
}

function counted(count: number, subject: 'journey' | 'service'): string {
  return `${NUMBERS[count] ?? String(count)} ${subject}${count === 1 ? '' : 's'}`;
}

/** "since 14:04 · 1 318 requests, 0.37/s, 2.1 % fail · 74 users affected". @param seconds of the lit window */
export function rowWords(row: NowRow, seconds: number, zone: string, now: number): string {
  if (row.lit.calls === 0) return 'no request now';
  const said = stateWords(row, row.before.calls > 0);
  if (!isWorse(row)) return `${requests(row, seconds)}, ${said}`;
  return [
    row.since === null ? '' : `since ${dayTime(row.since, zone, now)}`,
    requests(row, seconds),
    row.users ? `${formatCount(row.users)} ${row.users === 1 ? 'user' : 'users'} affected` : '',
    said,
  ]
    .filter((it) => it !== '')
    .join(' · ');
}

/** "884 requests, 0.25/s, 0.3 % fail". */
function requests({ lit }: NowRow, seconds: number): string {
  const failing = lit.failures === 0 ? 'none fail' : `${formatShare(lit.failures / lit.calls)} fail`;
  const count = `${formatCount(lit.calls)} ${lit.calls === 1 ? 'request' : 'requests'}`;
  return `${count}, ${formatRate(lit.calls / Math.max(1, seconds))}, ${failing}`;
}

/** What all percentiles were and are, for who wants to know them exactly. */
export function percentileWords({ before, lit }: Pick<NowRow, 'before' | 'lit'>): string {
  const told = (ns: number | null) => (ns === null ? '–' : formatDuration(ns));
  return (['p50', 'p95', 'p99'] as const).map((it) => `${it} ${told(before[`${it}Ns`])} → ${told(lit[`${it}Ns`])}`).join(', ');
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

/** "p95 5.22 s, the others 126 ms"; "9.1 % fail, of the others 0.1 %". */
export function standOutWords({ changed, own, others }: Around['standOut'][number]): string {
  if (changed === 'failures')
    return `${formatShare(own.failures / own.calls)} fail, of the others ${formatShare(others.failures / Math.max(1, others.calls))}`;
  return `${changed} ${formatDuration(own[`${changed}Ns`])}, the others ${formatDuration(others[`${changed}Ns`])}`;
}
