import { incidentWhere } from '../../core/incidents/incidentWhere.ts';
import type { SeriesShift } from '../../core/incidents/joinShifts.ts';
import { ruleWords } from '../../core/incidents/ruleWords.ts';
import { incidentPath, seriesName, type WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { leadingShift, shiftWords } from '../../core/incidents/words.ts';
import { lineUp } from '../../store/incidents/deliveries.ts';
import type { IncidentRow } from '../../store/incidents/incidents.ts';
import { noteSent, readRecipients } from '../../store/incidents/notifications.ts';
import { readRules } from '../../store/incidents/rules.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';

const WINDOW_MINUTES = 30;

/**
 * Sends notifications of a new incident. Mail goes to the inbox that ships with it; a call of the webhook is put in line, too, when an address
 * is set.
 */
export async function notify(incident: IncidentRow, watched: readonly WatchedSeries[], address: string): Promise<void> {
  const { webhook, mail } = await readRecipients();
  const [rules, named] = await Promise.all([readRules(), namedJourneys()]);
  const where = incidentWhere(incident.ruleId, rules, named);
  const link = `${address}${linkTo(incident, watched)}${where === '' ? '' : `&where=${encodeURIComponent(where)}`}`;
  const { subject, body } = await words(incident, watched);
  if (mail !== '')
    await noteSent({ incidentId: incident.id, channel: 'mail', recipient: mail, subject, body, link, attempts: 1 });
  if (webhook !== '') await lineUp(incident.id, JSON.stringify({ incident: incident.id, subject, body, link }));
  await noteSent({
    incidentId: incident.id,
    channel: 'webhook',
    recipient: webhook === '' ? 'the inbox here' : new URL(webhook).origin,
    subject,
    body,
    link,
    attempts: 1,
  });
}

/** The window of the page that a notification opens: from a little before it began. */
function linkTo(incident: IncidentRow, watched: readonly WatchedSeries[]): string {
  const { firstMinute, lastMinute, id } = incident;
  const from = firstMinute - 5;
  const to = Math.max(lastMinute + 1, from + WINDOW_MINUTES);
  const iso = (minute: number) => new Date(minute * 60_000).toISOString().replace(':00.000Z', 'Z');
  const lead = leadingShift(incident.shifts, new Set());
  const moved = [...(lead ? [lead] : []), ...incident.shifts].flatMap(
    ({ series }) => watched.find(({ key }) => key === series) ?? [],
  );
  const path = incidentPath(moved);
  // Pages of visitors have their application in the address already.
  return `${path}${path.includes('?') ? '&' : '?'}from=${iso(from)}&to=${iso(to)}&incident=${id}`;
}

async function words(
  { shifts, source, ruleId }: IncidentRow,
  watched: readonly WatchedSeries[],
): Promise<{ subject: string; body: string }> {
  if (source === 'rule') {
    const rule = (await readRules()).find((it) => it.id === ruleId);
    const name = rule?.name ?? ruleId;
    return { subject: `${name}: the rule fires`, body: rule ? `${ruleWords(rule)}.` : name };
  }
  const wordsOf = (shift: SeriesShift) => {
    const it = watched.find((series) => series.key === shift.series);
    return `${it ? seriesName(it) : shift.series}: ${shiftWords(shift, it?.kind)}`;
  };
  const lead = leadingShift(shifts, new Set())!;
  return {
    subject: wordsOf(lead),
    body: shifts.map(wordsOf).join('\n'),
  };
}
