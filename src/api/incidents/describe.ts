import type { Rule } from '../../core/incidents/rules.ts';
import { seriesName, type WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { leadingShift, shiftWords } from '../../core/incidents/words.ts';
import type { IncidentRow } from '../../store/incidents/incidents.ts';

/** An incident in a line: whose measure moved most, and how; or which rule fires. */
export function incidentTitle(
  it: Pick<IncidentRow, 'shifts' | 'source' | 'ruleId'>,
  watched: readonly WatchedSeries[],
  rules: readonly Rule[],
): string {
  if (it.source === 'rule') {
    const rule = rules.find(({ id }) => id === it.ruleId);
    return rule ? `rule fires: ${rule.name}` : 'a rule fires that has been dropped since';
  }
  const lead = leadingShift(it.shifts, new Set(watched.filter(({ isEntry }) => isEntry).map(({ key }) => key)));
  if (!lead) return 'something moved';
  const series = watched.find(({ key }) => key === lead.series);
  return `${series ? seriesName(series) : 'a series'}: ${shiftWords(lead, series?.kind)}`;
}

/** The series that moved, the one that says the most first. */
export function leadingFirst(it: Pick<IncidentRow, 'shifts'>, watched: readonly WatchedSeries[]): WatchedSeries[] {
  const entries = new Set(watched.filter(({ isEntry }) => isEntry).map(({ key }) => key));
  const lead = leadingShift(it.shifts, entries)?.series;
  const byKey = new Map(watched.map((series) => [series.key, series]));
  const keys = [...new Set([...(lead === undefined ? [] : [lead]), ...it.shifts.map(({ series }) => series)])];
  return keys.flatMap((key) => byKey.get(key) ?? []);
}

/** How it stands: seen in the last minutes, not for a while, or over. @param nowMinute the last minute that is over */
export function incidentState({ lastMinute }: Pick<IncidentRow, 'lastMinute'>, nowMinute: number): 'open' | 'quiet' | 'closed' {
  const since = nowMinute - lastMinute;
  return since <= 10 ? 'open' : since <= 60 ? 'quiet' : 'closed';
}
