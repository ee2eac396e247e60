import type { Starts } from '../../api/map/starts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { KIND_WORDS } from '../../core/trace/kindWords.ts';
import { shownName } from '../list/shownName.ts';

type Origin = Starts['slowness']['origins'][number];

/** In which way a place is slow: "waiting for a lock", or "asks manifest-db 410 × a request, 1.0 × before". */
export function originWords({ kinds, moreCalls }: Pick<Origin, 'kinds' | 'moreCalls'>): string {
  const [most] = moreCalls;
  if (most && most.extraNs >= (kinds[0]?.extraNs ?? 0))
    return `asks ${shownName(nodeName(most.to))} ${times(most.lit)} a request, ${times(most.before)} before`;
  return kinds[0] ? KIND_WORDS[kinds[0].kind] : '';
}

/** "72 % (65–80)": a share with the range that holds it nine times out of ten, where that is wider than a point. */
export function originShare({ share, shareRange: [least, most] }: Pick<Origin, 'share' | 'shareRange'>): string {
  return most - least < 0.02
    ? formatShare(share)
    : `${formatShare(share)} (${Math.round(100 * least)}–${Math.round(100 * most)})`;
}

function times(count: number): string {
  return `${count >= 9.95 ? count.toFixed(0) : count.toFixed(1)} ×`;
}

/** Ids of what does not report itself begin with its kind. */
function nodeName(id: string): string {
  return id.replace(/^(database|cache|queue|peer):/, '');
}
