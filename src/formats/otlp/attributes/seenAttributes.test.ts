import fc from 'fast-check';
import { expect, it } from 'vitest';
import { bytesHash } from '../wire/bytesHash.ts';
import { field } from '../wire/request.ts';
import { seenAttribute } from './seenAttributes.ts';

/** The bytes of a KeyValue message, and around it the field that it is. */
function written(key: string, value: string): { bytes: Buffer; lengthAt: number; start: number; end: number } {
  const content = Buffer.concat([...field(1, [Buffer.from(key)]), ...field(2, field(1, [Buffer.from(value)]))]);
  const bytes = Buffer.concat([Buffer.from('before'), ...field(9, [content]), Buffer.from('behind')]);
  const end = bytes.length - 'behind'.length;
  return { bytes, lengthAt: 'before'.length + 1, start: end - content.length, end };
}
const seen = (key: string, value: string) => {
  const { bytes, lengthAt, start, end } = written(key, value);
  return seenAttribute(bytes, lengthAt, start, end);
};

it('is what stands in the bytes, whatever was seen before', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.string({ maxLength: 20 }), fc.string({ maxLength: 60 })), { maxLength: 30 }), (list) => {
      for (const [key, value] of [...list, ...list]) expect(seen(key, value)).toMatchObject({ key, value });
    }),
  );
});

it('is one object for all that are alike', () => {
  const first = seen('http.route', '/holds');
  expect(seen('http.route', '/holds')).toBe(first);
  expect(seen('http.route', '/hold')).not.toBe(first);
});

it('is remembered beside another that has the same place, and two that come by turns both', () => {
  const hashOf = (it: { bytes: Buffer }) => (bytesHash(it.bytes, 0, it.bytes.length) % 16_384) & ~1;
  const first = seen('n', '0');
  let other = 1;
  while (hashOf(seen('n', String(other))) !== hashOf(first)) other++;
  const second = seen('n', String(other));
  for (let turn = 0; turn < 3; turn++)
    expect([seen('n', '0') === first, seen('n', String(other)) === second]).toEqual([true, true]);
});

it('does not hold the bytes in which it stood', () => {
  const { bytes, lengthAt, start, end } = written('vessel', 'tern');
  const it = seenAttribute(bytes, lengthAt, start, end);
  bytes.fill(0);
  expect(it).toMatchObject({ key: 'vessel', value: 'tern' });
  expect(it.bytes.includes('tern')).toBe(true);
});

it('is not made of broken bytes', () => {
  const bytes = Buffer.from([4, 0x0a, 0x7f, 0x61, 0x62]);
  expect(() => seenAttribute(bytes, 0, 1, 5)).toThrow(RangeError);
});
