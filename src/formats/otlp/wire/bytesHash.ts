const START = 0x811c9dc5;

/** A hash of some bytes, 32 bits, not negative; four bytes at a time. @param before of the bytes in front of them, to go on from there */
export function bytesHash(bytes: Buffer, start: number, end: number, before = START): number {
  let hash = before;
  let at = start;
  for (; at + 4 <= end; at += 4) {
    hash = Math.imul(hash ^ (bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16) | (bytes[at + 3] << 24)), 0x9e3779b1);
    hash ^= hash >>> 15;
  }
  for (; at < end; at++) hash = Math.imul(hash ^ bytes[at], 0x01000193);
  return (hash ^ (hash >>> 13)) >>> 0;
}

/** Whether `known` is what stands in `bytes` from `start` to `end`. */
export function isSameBytes(known: Buffer, bytes: Buffer, start: number, end: number): boolean {
  const { length } = known;
  if (length !== end - start) return false;
  for (let at = 0; at < length; at++) if (known[at] !== bytes[start + at]) return false;
  return true;
}
