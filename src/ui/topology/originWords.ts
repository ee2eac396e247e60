import type { Starts } from '../../api/map/starts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { originWords as wordsOf } from '../../core/topology/origin/originWords.ts';
import { shownName } from '../list/shownName.ts';

type Origin = Starts['slowness']['origins'][number];

/** In which way a place is slow, with names as they are drawn. */
export function originWords(it: Pick<Origin, 'kinds' | 'moreCalls' | 'misses'>): string {
  return wordsOf(it, shownName);
}

/** "72 % (65–80)": a share with the range that holds it nine times out of ten, where that is wider than a point. */
export function originShare({ share, shareRange: [least, most] }: Pick<Origin, 'share' | 'shareRange'>): string {
  return most - least < 0.02
    ? formatShare(share)
    : `${formatShare(share)} (${Math.round(100 * least)}–${Math.round(100 * most)})`;
}
