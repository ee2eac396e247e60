import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import { skewShift } from './clockSkew.ts';
import type { SpanKind } from './span.ts';

const timed = (start: number, end: number, kind: SpanKind, host: string | undefined) => ({
  span: makeSpan({ id: 1, from: 0, to: 1, kind, host }),
  start,
  end,
});
const time = fc.integer({ min: -1_000_000, max: 1_000_000 });
const stretch = fc.tuple(time, fc.nat({ max: 1_000_000 })).map(([start, length]) => [start, start + length] as const);

describe('a clock that is off', () => {
  it('is moved by the least that lays the callee inside its caller, or on its middle where it is longer', () => {
    fc.assert(
      fc.property(stretch, stretch, ([a, b], [c, d]) => {
        const shift = skewShift(timed(a, b, 'client', 'vm-1'), timed(c, d, 'server', 'vm-2'));
        if (c >= a && d <= b) expect(shift).toBe(0);
        else if (d - c > b - a) expect(Math.abs(a + b - (c + d + 2 * shift))).toBeLessThanOrEqual(1);
        else {
          expect([c + shift >= a, d + shift <= b]).toEqual([true, true]);
          // A nanosecond less would leave it outside.
          const less = shift - Math.sign(shift);
          expect(c + less >= a && d + less <= b).toBe(false);
        }
      }),
    );
  });

  it.each<[string, SpanKind, SpanKind, string | undefined, string | undefined]>([
    ['both are on one host', 'client', 'server', 'vm-1', 'vm-1'],
    ['a host is not told', 'client', 'server', undefined, 'vm-2'],
    ['it is no call between processes', 'internal', 'server', 'vm-1', 'vm-2'],
    ['what is below is no server', 'client', 'consumer', 'vm-1', 'vm-2'],
  ])('is not thought of where %s', (_, above, below, caller, callee) => {
    expect(skewShift(timed(0, 10, above, caller), timed(500, 505, below, callee))).toBe(0);
  });
});
