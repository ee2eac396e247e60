const START = 0x811c9dc5;

/** FNV-1a of some bytes, 32 bits, not negative. @param before of the bytes in front of them, to go on from there */
export function bytesHash(bytes: Buffer, start: number, end: number, before = START): number {
  let hash = before;
  for (let at = start; at < end; at++) hash = Math.imul(hash ^ bytes[at], 0x01000193);
  return hash >>> 0;
}

/** Whether `known` is what stands in `bytes` from `start` to `end`. */
export function isSameBytes(known: Buffer, bytes: Buffer, start: number, end: number): boolean {
  const { length } = known;
  if (length !== end - start) return false;
  for (let at = 0; at < length; at++) if (known[at] !== bytes[start + at]) return false;
  return true;
}
