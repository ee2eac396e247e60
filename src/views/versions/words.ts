import type { ServiceVersions } from '../../api/services/versions.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';

export type VersionOperation = ServiceVersions['operations'][number];

export const VERDICT_WORDS: Readonly<Record<VersionOperation['verdict'], string>> = {
  worse: 'worse',
  better: 'better',
  same: 'no difference',
  unknown: 'too little data',
};

export function versionName(version: string): string {
  return version === '' ? 'no version' : version;
}

/** How many times as long: `1.34 ×`. */
export function timesWords(times: number): string {
  return `${times >= 10 ? times.toFixed(0) : times.toFixed(2)} ×`;
}

/** By how much a share grew, with its sign. */
export function growthWords(share: number): string {
  if (Math.abs(share) < 0.0005) return '± 0 %';
  return `${share > 0 ? '+' : '−'}${formatShare(Math.abs(share))}`;
}

/** What the page says first. */
export function versionsHeadline(name: string, answer: ServiceVersions): string {
  const { versions, operations, older, newer } = answer;
  if (versions.length === 0) return `${name} handled no calls in this window`;
  if (older === null || newer === null)
    return versions.length === 1 && versions[0].version === ''
      ? `${name} does not say which version it is`
      : `Only ${name} ${versionName(newer ?? versions[0].version)} was at work`;
  const handled = operations.filter(({ kind }) => kind === 'server' || kind === 'consumer');
  const worse = handled.filter(({ verdict }) => verdict === 'worse');
  const better = handled.filter(({ verdict }) => verdict === 'better');
  const subject = `${name} ${versionName(newer)}`;
  if (worse.length > 0)
    return `${subject} is worse than ${versionName(older)}: ${howWorse(worse[0])}${andMore(worse.length - 1)}`;
  if (better.length > 0)
    return `${subject} is better than ${versionName(older)}: ${howWorse(better[0])}${andMore(better.length - 1)}`;
  const same = handled.filter(({ verdict }) => verdict === 'same').length;
  if (same === 0) return `Too little data to tell ${subject} from ${versionName(older)}`;
  const open = handled.length - same;
  return `${subject} makes no difference to ${versionName(older)}${open > 0 ? ` as far as can be told; ${open} of ${handled.length} operations have too little data` : ''}`;
}

function howWorse({ operation, by, times, failing }: VersionOperation): string {
  if (by === 'failures') return `${operation} fails ${growthWords(failing.value)} of the time`;
  return `${operation} takes ${timesWords(times?.value ?? 1)} as long`;
}

function andMore(others: number): string {
  return others > 0 ? `, and ${others} more` : '';
}

/** What the figures rest on. */
export function basisWords({ basis, held }: VersionOperation): string {
  const calls = `${formatCount(held.older)} and ${formatCount(held.newer)} calls`;
  return basis === 'beside' ? `side by side, in the same minutes: ${calls}` : `one after the other: ${calls}`;
}
