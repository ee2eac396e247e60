import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { OneCall } from '../../core/measures/callSum.ts';
import { type Ended, endKey, UnmatchedCalls } from './unmatchedCalls.ts';

const DAY = 20_000;
const tallied = { durationNs: 5_000_000, failed: false, clientError: false };

/** A span of this id, below that of another; `of` says which call, or which operation, it is. */
const arrival = (kind: 'client' | 'server', id: number, parent: number | null, of = 1): Pick<Ended, 'end' | 'key' | 'id'> =>
  kind === 'client' ? { end: 'caller', key: endKey(7, id), id: of } : { end: 'callee', key: endKey(7, parent ?? 0), id: of };

const measured = (it: ReturnType<typeof arrival>, minute: number, call: OneCall): Ended => ({ ...it, minute, ...call });
const through = (ends: UnmatchedCalls) => new UnmatchedCalls(DAY, ends.encode());
const minute = DAY * 1440 + 30;

describe('the two ends of a call', () => {
  it('meet whichever comes first, also when the row was written in between', () => {
    for (const order of [0, 1]) {
      let ends = new UnmatchedCalls(DAY);
      const both = [arrival('client', 1, null, 7), arrival('server', 2, 1, 9)];
      const [first, second] = order === 0 ? both : [both[1], both[0]];
      expect(ends.add(measured(first, minute, tallied))).toEqual([]);
      ends = through(ends);
      expect(ends.add(measured(second, minute, tallied))).toMatchObject([{ callId: 7, operationId: 9, minute, again: false }]);
    }
  });

  it('tell a second callee of one caller from the first', () => {
    let ends = new UnmatchedCalls(DAY);
    ends.add(measured(arrival('client', 1, null), minute, tallied));
    expect(ends.add(measured(arrival('server', 2, 1), minute, tallied))[0].again).toBe(false);
    ends = through(ends);
    expect(ends.add(measured(arrival('server', 3, 1), minute, tallied))[0].again).toBe(true);
  });

  it('keep how each was measured, and the minute of a call that lies before the day of its trace', () => {
    let ends = new UnmatchedCalls(DAY);
    const failed = { durationNs: 2 ** 50 + 1, failed: true, clientError: true };
    ends.add(measured(arrival('client', 1, null), DAY * 1440 - 3, failed));
    ends = through(ends);
    const [met] = ends.add(measured(arrival('server', 2, 1), minute, tallied));
    expect(met).toMatchObject({ minute: DAY * 1440 - 3, caller: failed, callee: tallied });
  });

  it('keep the minutes of several calls, the same and others, in few bytes', () => {
    const minutes = [minute, minute, minute + 1, DAY * 1440 - 2, DAY * 1440, minute];
    let ends = new UnmatchedCalls(DAY);
    for (const [at, it] of minutes.entries()) ends.add(measured(arrival('client', at + 1, null, at), it, tallied));
    const bytes = ends.encode();
    expect(bytes.length).toBeLessThanOrEqual(minutes.length * 13);
    ends = new UnmatchedCalls(DAY, bytes);
    const met = minutes.flatMap((_, at) => ends.add(measured(arrival('server', 100 + at, at + 1), minute, tallied)));
    expect(met.map((it) => it.minute)).toEqual(minutes);
  });

  it('meet once each, in any order and cut anywhere', () => {
    const calls = fc.array(fc.nat({ max: 8 }), { minLength: 1, maxLength: 30 });
    fc.assert(
      fc.property(calls, fc.infiniteStream(fc.nat()), (callees, luck) => {
        // One caller each, with so many callees.
        const all = callees.flatMap((many, at) => [
          arrival('client', 1000 + at, null, at),
          ...Array.from({ length: many }, (_, number) => arrival('server', 10_000 + 100 * at + number, 1000 + at, at)),
        ]);
        const mixed = all.map((it) => ({ it, key: luck.next().value as number })).sort((a, b) => a.key - b.key);
        let ends = new UnmatchedCalls(DAY);
        const met = mixed.flatMap(({ it, key }) => {
          if (key % 3 === 0) ends = through(ends);
          return ends.add(measured(it, minute, tallied));
        });
        for (const [at, many] of callees.entries()) {
          const own = met.filter(({ callId }) => callId === at);
          expect(own.length).toBe(many);
          expect(own.filter(({ again }) => !again).length).toBe(Math.min(1, many));
        }
      }),
      { numRuns: 200 },
    );
  });

  it('refuse bytes that end in the middle', () => {
    const ends = new UnmatchedCalls(DAY);
    ends.add(measured(arrival('client', 1, null), minute, tallied));
    expect(() => new UnmatchedCalls(DAY, ends.encode().subarray(0, 8))).toThrow(RangeError);
  });
});
