/** How far a sender is that fills in what lies before. */
export interface Filling {
  /** What is filled in, in a few words. */
  readonly what: string;
  /** From 0 to 1. */
  readonly share: number;
}

/** A sender that has said nothing for so long has gone. */
const FRESH_MS = 30_000;

let last: (Filling & { readonly at: number }) | undefined;

/** Notes how far a sender is. One that is done is no longer told of. */
export function noteFilling(filling: Filling): void {
  last = filling.share < 1 ? { ...filling, at: Date.now() } : undefined;
}

/** How far the sender is that fills in earlier data at this moment; null when there is none. */
export function fillingNow(): Filling | null {
  if (!last || Date.now() - last.at > FRESH_MS) return null;
  return { what: last.what, share: last.share };
}
