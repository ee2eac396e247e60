/** Bytes of an id that fit into a number. */
const BYTES = 6;

/** The first six bytes of an id as a number, to look up quickly whether anything is known of it. @param at where the id begins */
export function idStartOf(bytes: Uint8Array, at: number): number {
  let start = 0;
  for (let byte = at; byte < at + BYTES; byte++) start = start * 256 + bytes[byte];
  return start;
}

/** The same of an id in hex digits. */
export function idStartOfHex(id: string): number {
  return Number.parseInt(id.slice(0, 2 * BYTES), 16);
}
