import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { epochNanosOf, epochNanosText, minuteOfHalves, minuteTimeOf, nsInMinute } from './minuteTime.ts';

const LAST = 2n ** 63n - 1n;
const MINUTE = 60_000_000_000n;
/** Any time that can be kept, and those right beside full minutes. */
const time = fc.oneof(
  fc.bigInt(0n, LAST),
  fc.tuple(fc.bigInt(1n, LAST / MINUTE), fc.bigInt(-1n, 1n)).map(([minute, beside]) => minute * MINUTE + beside),
);

describe('a time as a minute and the nanoseconds in it', () => {
  it('is exact, from the halves of its 64 bits as from the whole', () => {
    fc.assert(
      fc.property(time, (at) => {
        const high = Number(at >> 32n);
        const low = Number(at & 0xffffffffn);
        const minute = minuteOfHalves(high, low);
        expect({ minute, ns: nsInMinute(high, low, minute) }).toEqual({ minute: Number(at / MINUTE), ns: Number(at % MINUTE) });
        expect(minuteTimeOf(at)).toEqual({ minute, ns: nsInMinute(high, low, minute) });
      }),
    );
  });

  it('is written and given back as it was', () => {
    fc.assert(
      fc.property(time, (at) => {
        const { minute, ns } = minuteTimeOf(at);
        expect(epochNanosOf(minute, ns)).toBe(at);
        expect(epochNanosText(minute, ns)).toBe(String(at));
      }),
    );
  });
});
