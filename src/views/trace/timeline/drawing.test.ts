import { describe, expect, it } from 'vitest';
import { foldOfRow, foldRow, foldsOf, openedFor, outline, subtreeEnds } from './outline.ts';
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

const opened = (closed: number[] = [], open: number[] = [], byService = false) => ({
  closed: new Set(closed),
  open: new Set(open),
  byService,
});
const fold = (...members: number[]) => ({
  members,
  totalNs: 0,
  minNs: 0,
  medianNs: 0,
  maxNs: 0,
  onPathNs: 0,
  failed: 0,
  manySmall: false,
});

describe('the outline', () => {
  it('knows where each subtree ends', () => {
    expect([...subtreeEnds(spans)]).toEqual([6, 4, 3, 4, 6, 6]);
  });

  it('hides what is under a closed span, and stands it in that span’s row', () => {
    const { rows, rowOf, depth } = outline(spans, [], opened([1]));
    expect(rows).toEqual([0, 1, 4, 5]);
    expect(depth).toEqual([0, 1, 1, 2]);
    expect([...rowOf]).toEqual([0, 1, 1, 1, 2, 3]);
  });

  it('hides what is closed within what is closed with it', () => {
    const { rows, rowOf } = outline(spans, [], opened([0, 1]));
    expect(rows).toEqual([0]);
    expect([...rowOf]).toEqual([0, 0, 0, 0, 0, 0]);
  });

  it('stands like siblings in one row, with what is under them, until it is opened', () => {
    const folds = [fold(1, 4)];
    const shut = outline(spans, folds, opened());
    expect(shut.rows).toEqual([0, foldRow(0)]);
    expect([...shut.rowOf]).toEqual([0, 1, 1, 1, 1, 1]);
    const open = outline(spans, folds, opened([], [0]));
    expect(open.rows).toEqual([0, foldRow(0), 1, 2, 3, 4, 5]);
    expect(open.depth).toEqual([0, 1, 1, 2, 2, 1, 2]);
    expect([...open.rowOf]).toEqual([0, 2, 3, 4, 5, 6]);
    expect([foldOfRow(foldRow(3)), foldOfRow(7)]).toEqual([3, -1]);
  });

  it('leaves, by service, the spans with which one is entered', () => {
    const { rows, depth, rowOf } = outline({ ...spans, service: [0, 0, 1, 0, 2, 2] }, [fold(1, 4)], opened([], [], true));
    expect(rows).toEqual([0, 2, 4]);
    expect(depth).toEqual([0, 1, 1]);
    expect([...rowOf]).toEqual([0, 0, 1, 0, 2, 2]);
  });

  it('knows what must be opened for a span to be seen', () => {
    const folds = [fold(1, 4)];
    const next = openedFor(3, { ...spans, service: [0, 0, 1, 0, 2, 2] }, foldsOf(folds, 6), opened([0, 1, 3], [], true));
    expect([[...next.closed], [...next.open], next.byService]).toEqual([[3], [0], false]);
    expect(outline(spans, folds, next).rows).toContain(3);
  });
});

describe('the thread', () => {
  const path = { span: [0, 2, 0, 5], startNs: [0, 10, 30, 40], endNs: [10, 30, 40, 50], queued: [] };
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
