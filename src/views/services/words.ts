import type { SumAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import type { PeerOverview } from '../../api/services/peer.ts';
import type { ServiceTime } from '../../api/services/time.ts';
import type { VerdictAnswer } from '../../api/verdict/verdicts.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { failureStarts, slownessStarts } from '../../ui/topology/starting.ts';
import { changeWords, noReferenceWords } from '../../ui/verdict/verdictWords.ts';

type Compared = Pick<ServiceOverview, 'name' | 'lit' | 'before' | keyof VerdictAnswer>;

/** What of the trouble starts in one place of the map; empty for nothing. */
export function troubleHere(starts: Starts | undefined, id: string): string {
  const isHere = ({ node }: { node: string }) => node === id;
  const parts = [failureStarts(starts).some(isHere) && 'failures', slownessStarts(starts).some(isHere) && 'waiting'];
  const words = parts.filter(Boolean).join(' and ');
  return words === '' ? '' : `${words} ${words === 'waiting' ? 'starts' : 'start'} here`;
}

/**
 * "holds: p95 131 ms → 5.22 s", or that it is as before, as far as that can be said.
 *
 * @param trouble as `troubleHere` words it: a few calls may fail or hang while the others are as ever
 */
function changeOf(it: Compared, zone: string, now: number, trouble = ''): string {
  const { name, state, before } = it;
  if (state === 'calm' && trouble !== '') return `Most calls of ${name} are as before, but ${trouble}`;
  if (state === 'calm')
    return `${name} is as ${it.basis === 'before' ? 'before' : `it was throughout the window; ${noReferenceWords(before.calls > 0)}`}`;
  if (state === 'unknown')
    return before.calls === 0 ? `${name}: ${noReferenceWords(false)}` : `${name}: too few calls to say how it is`;
  const change = changeWords(it, it.lit, before, zone, now);
  return `${name}: ${state === 'perhaps' ? 'perhaps ' : ''}${change}`;
}

/** What the service's page says of it, in a sentence. */
export function serviceHeadline(
  it: ServiceOverview | undefined,
  time: ServiceTime | undefined,
  zone: string,
  now: number,
  trouble = '',
): string {
  if (!it) return 'Looking …';
  if (it.lit.calls === 0) return `${it.name} handled nothing in this window`;
  const gain = it.state === 'strained' ? mostGained(time) : undefined;
  return `${changeOf(it, zone, now, trouble)}${gain ? `, ${gain}` : ''}`;
}

/** Where the extra time of a service's requests sits, when most of it sits in one place. */
export function mostGained(time: ServiceTime | undefined): string | undefined {
  if (!time?.lit || !time.before) return undefined;
  const { lit, before } = time;
  const gain = lit.meanNs - before.meanNs;
  if (gain <= 0) return undefined;
  const was = (kind: string, party: string) => before.lines.find((it) => it.kind === kind && it.party === party)?.ns ?? 0;
  const [most] = lit.lines.map((it) => ({ ...it, gain: it.ns - was(it.kind, it.party) })).sort((a, b) => b.gain - a.gain);
  if (!most || most.gain < 0.5 * gain) return undefined;
  if (most.kind === 'below') return `waiting for ${most.party}`;
  return most.kind === 'own'
    ? 'in its own code'
    : `${KIND_WORDS[most.kind]}${most.kind === 'db' || most.kind === 'remote' ? ` at ${most.party}` : ''}`;
}

export function peerHeadline(it: PeerOverview | undefined, zone: string, now: number, trouble = ''): string {
  if (!it) return 'Looking …';
  // What the pages of visitors were like comes before how their requests went.
  const [page] = it.pages ?? [];
  const isWorse = page && (page.state === 'failing' || page.state === 'strained');
  if (isWorse) return `${it.name} page ${changeOf(page, zone, now)}`;
  if (it.lit.calls === 0)
    return it.kind === 'visitors' ? `${it.name} asked for nothing in this window` : `Nobody called ${it.name} in this window`;
  const { waits } = it;
  if (waits && (waits.state === 'strained' || waits.state === 'perhaps'))
    return `${it.name}: messages ${waits.state === 'perhaps' ? 'perhaps ' : ''}wait longer, ${changeWords(waits, waits.lit, waits.before, zone, now)}`;
  return changeOf(it, zone, now, trouble);
}

/** Of which requests the figures are; empty where they are of all. */
export function readWords({ lit, litOf }: ServiceOverview['requests'], isNarrowed: boolean): string {
  if (!isNarrowed) return lit < litOf ? `from a sample, ${formatCount(lit)} of ${formatCount(litOf)} requests · ` : '';
  return lit < litOf
    ? `from a sample, ${formatCount(lit)} of ${formatCount(litOf)} requests that fit the chips · `
    : `of the ${formatCount(lit)} ${lit === 1 ? 'request that fits' : 'requests that fit'} the chips · `;
}

/** Whether one instance stands out: it alone is worse, and there are others. */
export function standsOut(
  instances: readonly { readonly instance: string; readonly state: string; readonly lit: SumAnswer }[],
): string | undefined {
  const running = instances.filter((it) => it.lit.calls > 0);
  const worseOnes = running.filter((it) => it.state === 'strained' || it.state === 'failing');
  // Of the others it must be known that they are well: too few requests say nothing.
  const areOthersCalm = running.every((it) => it.state === 'calm' || it === worseOnes[0]);
  return running.length > 1 && worseOnes.length === 1 && areOthersCalm ? worseOnes[0].instance : undefined;
}
