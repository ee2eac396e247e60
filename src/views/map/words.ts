import type { MapAnswer, SumAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { briefDuration } from '../../core/time/duration.ts';
import { failureStarts, slownessStarts } from '../../ui/topology/starting.ts';

/** "a, b and c". */
export function listed(names: readonly string[]): string {
  return names.length <= 1 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;
}

function named(names: readonly string[], most = 3): string {
  const more = names.length - most;
  return more <= 0 ? listed(names) : `${names.slice(0, most).join(', ')} and ${more} more`;
}

/** What the map says, in a sentence. */
export function mapHeadline(map: MapAnswer | undefined, starts: Starts | undefined): string {
  if (!map) return 'Drawing the map …';
  if (map.nodes.length === 0) return 'Nothing was called';
  if (!starts) return 'Looking for where trouble starts …';
  const failing = failureStarts(starts).map((it) => it.party);
  const slow = slownessStarts(starts).map((it) => it.party);
  const { machine } = starts.slowness;
  const slowWords = machine ? `${machine.name}, in ${named(slow, 2)}` : named(slow);
  if (slow.length > 0 && failing.length > 0) {
    if (slow.length === 1 && failing.length === 1 && slow[0] === failing[0]) return `Slowness and failures start in ${slow[0]}`;
    return `Slowness starts ${machine ? 'on' : 'in'} ${slowWords}; failures start at ${named(failing)}`;
  }
  if (slow.length > 0) return `Slowness starts ${machine ? 'on' : 'in'} ${slowWords}`;
  if (failing.length > 0) return `Failures start at ${named(failing)}`;
  const services = map.nodes.filter((it) => it.kind === 'service' && it.lit.calls > 0).length;
  return `${services} ${services === 1 ? 'service' : 'services'}, and no trouble starts in any`;
}

/** Calls a second of a side. @param scale for how many requests each one that was read stands */
export function rateOf({ calls }: SumAnswer, window: { from: string; to: string }, scale = 1): number {
  return (calls * scale * 1000) / Math.max(1, Date.parse(window.to) - Date.parse(window.from));
}

export function scaleOf({ requests, read }: MapAnswer['lit']): number {
  return read === 0 ? 1 : requests / read;
}

/** Of all calls, 0 to 1. */
export function failingShare({ calls, failures }: SumAnswer): number {
  return calls === 0 ? 0 : failures / calls;
}

/** "58/s · 4.2 % fail" or "64/s · p95 0.4 s". */
export function plateWords(sum: SumAnswer, perSecond: number): string {
  if (sum.calls === 0) return 'no calls';
  const share = failingShare(sum);
  const rate = formatRate(perSecond);
  if (share >= 0.005) return `${rate} · ${formatShare(share)} fail`;
  return sum.p95Ns === null ? rate : `${rate} · p95 ${briefDuration(sum.p95Ns)}`;
}
