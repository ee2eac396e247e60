import { describe, expect, it } from 'vitest';
import { depths, rowOfSpan, seenRows, subtreeEnds } from './outline.ts';
import { stretchesOf, threadPath } from './thread.ts';

/** 0 ─ 1 ─ 2, 3; 4 ─ 5 */
const parent = [-1, 0, 1, 1, 0, 4];
const column = parent.map(() => 0);
const spans = {
  id: parent.map(String),
  parent,
  service: column,
  operation: column,
  kind: column,
  startNs: column,
  durationNs: column,
  selfNs: column,
};

describe('the outline', () => {
  it('knows depth and where each subtree ends', () => {
    expect([...depths(spans)]).toEqual([0, 1, 2, 2, 1, 2]);
    expect([...subtreeEnds(spans)]).toEqual([6, 4, 3, 4, 6, 6]);
  });

  it('hides what is under a folded span, and stands it in that span’s row', () => {
    const rows = seenRows(spans, new Set([1]));
    expect(rows).toEqual([0, 1, 4, 5]);
    expect([...rowOfSpan(spans, rows)]).toEqual([0, 1, 1, 1, 2, 3]);
  });

  it('hides a fold within a fold with it', () => {
    expect(seenRows(spans, new Set([0, 1]))).toEqual([0]);
    expect([...rowOfSpan(spans, [0])]).toEqual([0, 0, 0, 0, 0, 0]);
  });
});

describe('the thread', () => {
  const path = { span: [0, 2, 0, 5], startNs: [0, 10, 30, 40], endNs: [10, 30, 40, 50] };
  const rows = Int32Array.from([0, 1, 2, 3, 4, 5]);
  const draw = (firstRow: number, endRow: number, rowOf = rows) =>
    threadPath(path, rowOf, { firstRow, endRow, x: (ns) => ns, y: (row) => row * 10 });

  it('is one line through the rows, along each stretch and up or down to the next', () => {
    expect(draw(0, 6)).toBe('M0.0,0.0L10.0,0.0L10.0,20.0L30.0,20.0L30.0,0.0L40.0,0.0L40.0,50.0L50.0,50.0');
  });

  it('draws only what touches the rows in sight, ways through them too', () => {
    expect(draw(3, 5)).toBe('M40.0,0.0L40.0,50.0');
    expect(draw(2, 3)).toBe('M10.0,0.0L10.0,20.0L30.0,20.0L30.0,0.0M40.0,0.0L40.0,50.0');
  });

  it('runs through a folded row', () => {
    expect(draw(0, 2, Int32Array.from([0, 0, 0, 0, 1, 1]))).toBe('M0.0,0.0L10.0,0.0L30.0,0.0L40.0,0.0L40.0,10.0L50.0,10.0');
  });

  it('knows the stretches of each span', () => {
    expect(stretchesOf(path)).toEqual(
      new Map([
        [0, [0, 2]],
        [2, [1]],
        [5, [3]],
      ]),
    );
  });
});
