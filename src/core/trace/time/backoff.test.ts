import { describe, expect, it } from 'vitest';
import { type Backoff, withBackoffs } from './backoff.ts';

const pause = (start: number, end: number): Backoff => ({ start, end, failed: 1, callee: undefined });
const segment = (node: number, start: number, end: number) => ({ node, start, end });
const shown = (path: ReturnType<typeof withBackoffs>) => path.map((it) => [it.node, it.start, it.end, it.backoff !== undefined]);

describe('a path with back-offs', () => {
  it('is cut where they begin and end, and covers the same time', () => {
    const path = [segment(0, 0, 10), segment(3, 10, 50), segment(0, 50, 60)];
    const cut = withBackoffs(path, new Map([[3, [pause(20, 25), pause(40, 50)]]]));
    expect(shown(cut)).toEqual([
      [0, 0, 10, false],
      [3, 10, 20, false],
      [3, 20, 25, true],
      [3, 25, 40, false],
      [3, 40, 50, true],
      [0, 50, 60, false],
    ]);
    expect(cut.reduce((sum, it) => sum + it.end - it.start, 0)).toBe(60);
  });

  it('takes a segment within a back-off as one whole, and one of another span as it is', () => {
    const pauses = new Map([[3, [pause(0, 100)]]]);
    expect(shown(withBackoffs([segment(3, 20, 30)], pauses))).toEqual([[3, 20, 30, true]]);
    expect(shown(withBackoffs([segment(4, 20, 30)], pauses))).toEqual([[4, 20, 30, false]]);
    expect(shown(withBackoffs([segment(3, 90, 130)], pauses))).toEqual([
      [3, 90, 100, true],
      [3, 100, 130, false],
    ]);
  });

  it('without any is the path itself', () => {
    const path = [segment(0, 0, 10)];
    expect(withBackoffs(path, new Map())).toEqual(path);
  });
});
