import { KIND_WORDS } from '../../trace/time/kindWords.ts';
import type { TimeKind } from '../../trace/time/timeKind.ts';

/** A place where requests became slower, as far as the words about it go. */
export interface SlowOrigin {
  readonly kinds: readonly { readonly kind: TimeKind; readonly extraNs: number }[];
  readonly moreCalls: readonly { readonly to: string; readonly before: number; readonly lit: number; readonly extraNs: number }[];
}

/**
 * In which way a place is slow: "waiting for a lock", or "asks manifest-db 410 × a request, 1.0 × before".
 *
 * @param shown how a name is written
 */
export function originWords({ kinds, moreCalls }: SlowOrigin, shown: (name: string) => string = (name) => name): string {
  const [most] = moreCalls;
  if (most && most.extraNs >= (kinds[0]?.extraNs ?? 0))
    return `asks ${shown(nodeName(most.to))} ${times(most.lit)} a request, ${times(most.before)} before`;
  return kinds[0] ? KIND_WORDS[kinds[0].kind] : '';
}

function times(count: number): string {
  return `${count >= 9.95 ? count.toFixed(0) : count.toFixed(1)} ×`;
}

/** Ids of what does not report itself begin with its kind. */
function nodeName(id: string): string {
  return id.replace(/^(database|cache|queue|peer):/, '');
}
