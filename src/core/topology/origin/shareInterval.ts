/** Requests fall into so many groups by their trace id, each of which is left out once. */
export const GROUPS = 32;

/** 90 % of a normal distribution lie within so many standard deviations. */
const NINETY = 1.645;

/** The group of a request: a hash of its id, so that ids in the order of time spread too (FNV-1a). */
export function groupOf(traceId: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < traceId.length; at++) hash = Math.imul(hash ^ traceId.charCodeAt(at), 0x01000193);
  return (hash ^ (hash >>> 15)) & (GROUPS - 1);
}

const DIGITS = Uint8Array.from('0123456789abcdef', (digit) => digit.charCodeAt(0));

/** The same of an id that is still in bytes. @param at where it begins @param length in bytes */
export function groupOfBytes(bytes: Uint8Array, at: number, length: number): number {
  let hash = 0x811c9dc5;
  for (let byte = at; byte < at + length; byte++) {
    hash = Math.imul(hash ^ DIGITS[bytes[byte] >> 4], 0x01000193);
    hash = Math.imul(hash ^ DIGITS[bytes[byte] & 15], 0x01000193);
  }
  return (hash ^ (hash >>> 15)) & (GROUPS - 1);
}

/** By node, nanoseconds by group. */
type Groups = ReadonlyMap<string, { readonly groups: Float64Array }>;

/**
 * How sure a node's share of the extra time is: the delete-a-group jackknife over the requests of both sides (Kott, 2001). The time of each
 * node is known by group of requests; the share is worked out anew without each group in turn.
 */
export class ShareInterval {
  readonly #extra = new Map<string, Float64Array>();
  readonly #total = new Float64Array(GROUPS);

  /** Takes in an entry: nanoseconds by node and group, requests by group. @param requests that the extra time is of */
  add(lit: Groups, litRequests: Float64Array, before: Groups, beforeRequests: Float64Array, requests: number): void {
    for (const [groups, counts, sign] of [
      [lit, litRequests, 1],
      [before, beforeRequests, -1],
    ] as const) {
      const all = counts.reduce((sum, it) => sum + it, 0);
      for (const [node, { groups: ns }] of groups) {
        const whole = ns.reduce((sum, it) => sum + it, 0);
        let extra = this.#extra.get(node);
        if (!extra) {
          extra = new Float64Array(GROUPS);
          this.#extra.set(node, extra);
        }
        for (let group = 0; group < GROUPS; group++) {
          const rest = all - counts[group];
          const amount = rest > 0 ? (sign * requests * (whole - ns[group])) / rest : 0;
          extra[group] += amount;
          this.#total[group] += amount;
        }
      }
    }
  }

  /** The range in which a node's share lies nine times out of ten, about its estimate; both 0 to 1. */
  around(node: string, share: number): [number, number] {
    const extra = this.#extra.get(node);
    if (!extra) return [share, share];
    const shares = [...extra].map((ns, group) => (this.#total[group] > 0 ? ns / this.#total[group] : 0));
    const mean = shares.reduce((sum, it) => sum + it, 0) / GROUPS;
    const variance = ((GROUPS - 1) / GROUPS) * shares.reduce((sum, it) => sum + (it - mean) ** 2, 0);
    const margin = NINETY * Math.sqrt(variance);
    return [Math.max(0, share - margin), Math.min(1, share + margin)];
  }
}
