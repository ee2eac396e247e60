import { formatShare } from '../../incidents/words.ts';
import { KIND_WORDS } from '../../trace/time/kindWords.ts';
import type { TimeKind } from '../../trace/time/timeKind.ts';
import { nodeName } from '../node.ts';
import type { Misses } from './cacheMisses.ts';
import type { MoreCalls } from './moreCalls.ts';

/** A place where requests became slower, as far as the words about it go. */
export interface SlowOrigin {
  readonly kinds: readonly { readonly kind: TimeKind; readonly extraNs: number }[];
  readonly moreCalls: readonly MoreCalls[];
  readonly misses: readonly Misses[];
}

/**
 * In which way a place is slow: "waiting for a lock", "asks manifest-db 410 × a request, 1.0 × before", or, of a cache, "misses 95 % of what fares
 * asks for, 10 % before", "answers less: holds asks sailings 1.0 × a request, 0.2 × before".
 *
 * @param shown how a name is written
 */
export function originWords({ kinds, moreCalls, misses }: SlowOrigin, shown: (name: string) => string = (name) => name): string {
  const [most] = moreCalls;
  const [missed] = misses;
  if (missed && missed.extraNs >= Math.max(kinds[0]?.extraNs ?? 0, most?.extraNs ?? 0))
    return `misses ${formatShare(missed.lit)} of what ${shown(missed.asker)} asks for, ${formatShare(missed.before)} before`;
  if (most && most.extraNs >= (kinds[0]?.extraNs ?? 0)) {
    const asks = `asks ${shown(nodeName(most.to))} ${times(most.lit)} a request, ${times(most.before)} before`;
    return most.asker === null ? asks : `answers less: ${shown(most.asker)} ${asks}`;
  }
  return kinds[0] ? KIND_WORDS[kinds[0].kind] : '';
}

function times(count: number): string {
  return `${count >= 9.95 ? count.toFixed(0) : count.toFixed(1)} ×`;
}
