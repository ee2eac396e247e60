import { expect, it } from 'vitest';
import type { Segment } from '../../core/columns/segment.ts';
import { heldSegments } from './heldSegments.ts';
import type { SegmentReading, SegmentWork } from './slotSegments.ts';

/** A store of two stretches, to which another comes with each reading. */
function growing(rows: number) {
  const asked: (number | undefined)[] = [];
  const reading: SegmentReading = {
    async *read(_, work?: SegmentWork) {
      asked.push(work?.buildMs);
      for (let at = 0; at < 1 + asked.length; at++)
        yield { segment: { rows, column: () => undefined } as unknown as Segment, from: 0n, day: 1, key: `${at}`, label: '' };
    },
  };
  return { reading, asked };
}

async function keysOf(reading: SegmentReading): Promise<string[]> {
  const keys: string[] = [];
  for await (const { key } of reading.read({}, { buildMs: 1_500 })) keys.push(key);
  return keys;
}

it('sees the same in every reading, whatever comes meanwhile', async () => {
  const { reading, asked } = growing(10);
  const held = heldSegments(reading, 100);
  expect(await keysOf(held)).toEqual(['0', '1']);
  expect(await keysOf(held)).toEqual(['0', '1']);
  expect(asked).toEqual([1_500]);
});

it('reads anew what is too much to hold, and builds nothing then', async () => {
  const { reading, asked } = growing(60);
  const held = heldSegments(reading, 100);
  expect(await keysOf(held)).toEqual(['0', '1']);
  expect(await keysOf(held)).toEqual(['0', '1', '2']);
  expect(asked).toEqual([1_500, 0]);
});
