import { leadingShift, shiftWords } from '../../core/incidents/words.ts';
import type { IncidentRow } from '../../store/incidents/incidents.ts';

interface Named {
  readonly id: number;
  readonly service: string;
  readonly name: string;
  readonly kind: number;
}

const SERVER = 2;

/** An incident in a line: whose measure moved most, and how. */
export function incidentTitle(it: Pick<IncidentRow, 'shifts' | 'source' | 'ruleId'>, operations: readonly Named[]): string {
  if (it.source === 'rule') return `rule ${it.ruleId} fires`;
  const ofServers = new Set(operations.filter(({ kind }) => kind === SERVER).map(({ id }) => id));
  const lead = leadingShift(it.shifts, ofServers);
  if (!lead) return 'something moved';
  const operation = operations.find(({ id }) => id === lead.operationId);
  return `${operation ? `${operation.service} ${operation.name}` : 'an operation'}: ${shiftWords(lead)}`;
}

/** How it stands: seen in the last minutes, not for a while, or over. @param nowMinute the last minute that is over */
export function incidentState({ lastMinute }: Pick<IncidentRow, 'lastMinute'>, nowMinute: number): 'open' | 'quiet' | 'closed' {
  const since = nowMinute - lastMinute;
  return since <= 10 ? 'open' : since <= 60 ? 'quiet' : 'closed';
}
