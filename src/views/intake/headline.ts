import type { IntakeState } from '../../api/intake/state.ts';
import { formatCount } from '../../core/measures/amount.ts';

/** What one record of a signal is called. */
export const RECORD_NAMES: Readonly<Record<IntakeState['signals'][number]['signal'], readonly [one: string, many: string]>> = {
  traces: ['span', 'spans'],
  logs: ['log record', 'log records'],
  metrics: ['data point', 'data points'],
  profiles: ['profile', 'profiles'],
};

export function counted(signal: keyof typeof RECORD_NAMES, count: number): string {
  return `${formatCount(count)} ${RECORD_NAMES[signal][count === 1 ? 0 : 1]}`;
}

/** What came in lately, in a sentence. */
export function intakeHeadline(state: IntakeState | undefined): string {
  if (!state) return 'Intake';
  const came = state.signals.filter(({ records }) => records > 0).map(({ signal, records }) => counted(signal, records));
  const refused = state.refused.reduce((sum, { records, requests }) => sum + records + requests, 0);
  const trouble = refused > 0 ? `; ${formatCount(refused)} refused` : came.length > 0 ? ', nothing refused' : '';
  if (came.length === 0) return `Nothing came in the last hour${trouble}`;
  const all = came.length === 1 ? came[0] : `${came.slice(0, -1).join(', ')} and ${came.at(-1)}`;
  return `${all} in the last hour${trouble}`;
}

/** Who has just sent something, in a sentence. */
export function connectHeadline(
  senders: readonly { readonly service: string; readonly last: string }[],
  now: number,
  ago: (ms: number) => string,
): string {
  const [latest] = senders;
  return latest ? `Last from ${latest.service}, ${ago(now - Date.parse(latest.last))}` : 'Waiting for the first span';
}
