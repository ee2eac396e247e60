import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seenIdText, spanIdText, traceIdText } from './idText.ts';

describe('a trace id', () => {
  it('is the hex of its bytes, whatever came before it and wherever it stands', () => {
    const ids = fc.array(fc.uint8Array({ minLength: 16, maxLength: 16 }), { minLength: 1, maxLength: 4 });
    fc.assert(
      fc.property(ids, fc.array(fc.tuple(fc.nat({ max: 3 }), fc.nat({ max: 9 })), { maxLength: 20 }), (known, order) => {
        for (const [which, before] of order) {
          const id = known[which % known.length];
          expect(traceIdText(Buffer.concat([Buffer.alloc(before, 7), id, Buffer.alloc(3)]), before)).toBe(
            Buffer.from(id).toString('hex'),
          );
        }
      }),
    );
  });

  it('is not another that differs in its last byte alone', () => {
    const bytes = Buffer.alloc(16, 3);
    const first = traceIdText(bytes, 0);
    bytes[15] = 4;
    expect([first, traceIdText(bytes, 0)]).toEqual(['03'.repeat(16), `${'03'.repeat(15)}04`]);
  });
});

describe('a span id', () => {
  it('is eight bytes that are not all zero', () => {
    expect(spanIdText(Buffer.from('ff00000000000000010a', 'hex'), 1, 9)).toBe('0000000000000001');
    expect(spanIdText(Buffer.alloc(8), 0, 8)).toBeNull();
    expect(spanIdText(Buffer.alloc(9, 1), 0, 9)).toBeNull();
    expect(spanIdText(Buffer.alloc(0), 0, 0)).toBeNull();
  });
});

describe('an id among those seen lately', () => {
  it('is the hex of its bytes, whatever took its place before', () => {
    // Few different bytes, so that many meet in the same place.
    const byte = fc.constantFrom(0, 1, 31, 32, 255);
    const id = fc.constantFrom(8, 16).chain((length) => fc.array(byte, { minLength: length, maxLength: length }));
    fc.assert(
      fc.property(fc.array(id, { minLength: 1, maxLength: 60 }), (ids) => {
        for (const bytes of ids) {
          const text = Buffer.from(bytes).toString('hex');
          const found = seenIdText(Buffer.from([9, ...bytes, 9]), 1, bytes.length);
          expect(found).toBe(/^0+$/.test(text) ? undefined : text);
        }
      }),
    );
  });

  it('of eight bytes is not the first half of one of sixteen', () => {
    const bytes = Buffer.from('0102030405060708'.padEnd(32, '0'), 'hex');
    expect([seenIdText(bytes, 0, 16), seenIdText(bytes, 0, 8), seenIdText(bytes, 0, 16)]).toEqual([
      '01020304050607080000000000000000',
      '0102030405060708',
      '01020304050607080000000000000000',
    ]);
  });
});
