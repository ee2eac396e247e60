import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { storable } from '../attributes/attributes.ts';
import { cachedText } from './textCache.ts';

describe('a text that is remembered', () => {
  it('is what its bytes say, however many came before it', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.string({ unit: 'binary', maxLength: 120 }), fc.nat({ max: 5 })), { maxLength: 40 }),
        (texts) => {
          for (const [text, before] of texts) {
            const bytes = Buffer.concat([Buffer.alloc(before, 65), Buffer.from(text), Buffer.from('after')]);
            const end = before + Buffer.byteLength(text);
            expect(cachedText(bytes, before, end)).toBe(storable(bytes.toString('utf8', before, end)));
          }
        },
      ),
    );
  });

  it('does not change when the bytes that it came from do', () => {
    const bytes = Buffer.from('POST /holds');
    const first = cachedText(bytes, 0, bytes.length);
    bytes.write('GET  /fares');
    expect([first, cachedText(bytes, 0, bytes.length), cachedText(Buffer.from('POST /holds'), 0, 11)]).toEqual([
      'POST /holds',
      'GET  /fares',
      'POST /holds',
    ]);
  });
});
