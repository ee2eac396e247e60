const STEPS = 12;

/** Which of the twelve service colours a service has, 1 to 12: the same for a name everywhere and for ever. */
export function serviceColour(service: string): number {
  // FNV-1a, then the finaliser of MurmurHash3: without it names that end alike fall together.
  let hash = 0x811c9dc5;
  for (let at = 0; at < service.length; at++) hash = Math.imul(hash ^ service.charCodeAt(at), 0x01000193);
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return (((hash ^ (hash >>> 16)) >>> 0) % STEPS) + 1;
}
