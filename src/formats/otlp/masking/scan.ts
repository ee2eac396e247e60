/** Where signs of something to be masked stand, in no order: a byte of each. `anywhere` when every text is worth a look. */
export type FoundSigns = readonly number[] | 'anywhere';

/** A look at bytes for what may have to be masked; finds so many signs at most. */
export type SignScan = (bytes: Uint8Array, most?: number) => FoundSigns;

/** Whether a look finds anything. */
export function finds(look: SignScan, bytes: Uint8Array): boolean {
  return look(bytes, 1).length > 0;
}
