import fc from 'fast-check';
import { expect, it } from 'vitest';
import { idStartOf, idStartOfHex } from './idStart.ts';

it('is the same of an id in bytes and in hex digits, and another for another beginning', () => {
  fc.assert(
    fc.property(fc.uint8Array({ minLength: 8, maxLength: 16 }), (bytes) => {
      const hex = Buffer.from(bytes).toString('hex');
      expect(idStartOf(bytes, 0)).toBe(idStartOfHex(hex));
      expect(idStartOf(Uint8Array.from([7, ...bytes]), 1)).toBe(idStartOfHex(hex));
      const other = Uint8Array.from(bytes, (byte, at) => (at === 5 ? byte ^ 1 : byte));
      expect(idStartOf(other, 0)).not.toBe(idStartOf(bytes, 0));
    }),
  );
});
