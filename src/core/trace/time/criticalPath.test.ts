import { describe, expect, it } from 'vitest';
import { makeSpan, makeSpans, type Sketch } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../assemble.ts';
import { selfTimes } from '../selfTime.ts';
import { criticalPath } from './criticalPath.ts';

/** The path as "work 1 10–40" and so on. */
function pathOf(...sketches: Sketch[]): string[] {
  const trace = assemble(makeSpans(...sketches))!;
  return criticalPath(trace).map(({ node, start, end }) => `${trace.nodes[node].span.name} ${start}–${end}`);
}

describe('criticalPath', () => {
  it('is the span itself when it has no children', () => {
    expect(pathOf({ id: 0, from: 0, to: 100 })).toEqual(['work 0 0–100']);
  });

  it('goes down into children that run one after the other, and up between them', () => {
    expect(
      pathOf({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 10, to: 40 }, { id: 2, parent: 0, from: 50, to: 90 }),
    ).toEqual(['work 0 0–10', 'work 1 10–40', 'work 0 40–50', 'work 2 50–90', 'work 0 90–100']);
  });

  it('follows the child that ended last of those that ran beside each other', () => {
    expect(
      pathOf({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 10, to: 80 }, { id: 2, parent: 0, from: 10, to: 95 }),
    ).toEqual(['work 0 0–10', 'work 2 10–95', 'work 0 95–100']);
  });

  it('gives a child only the time before the one that held the parent up', () => {
    expect(
      pathOf({ id: 0, from: 0, to: 1000 }, { id: 1, parent: 0, from: 0, to: 503 }, { id: 2, parent: 0, from: 500, to: 1000 }),
    ).toEqual(['work 1 0–500', 'work 2 500–1000']);
  });

  it('passes over a child that overlaps by more than a hundredth of its length: it ran beside', () => {
    expect(
      pathOf({ id: 0, from: 0, to: 1000 }, { id: 1, parent: 0, from: 0, to: 506 }, { id: 2, parent: 0, from: 500, to: 1000 }),
    ).toEqual(['work 0 0–500', 'work 2 500–1000']);
  });

  it('allows an overlap of at most 1 ms, however long the child', () => {
    const long = 1_000_000_000;
    const beside = (overlap: number) =>
      pathOf(
        { id: 0, from: 0, to: 2 * long },
        { id: 1, parent: 0, from: 0, to: long + overlap },
        { id: 2, parent: 0, from: long, to: 2 * long },
      );
    expect(beside(1_000_000)[0]).toBe('work 1 0–1000000000');
    expect(beside(1_000_001)[0]).toBe('work 0 0–1000000000');
  });

  it('does not wait for a child that outlives its parent', () => {
    expect(pathOf({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 20, to: 180 })).toEqual(['work 0 0–100']);
  });

  it('does follow the server side of a call whose caller gave up first', () => {
    expect(pathOf({ id: 0, from: 0, to: 100, kind: 'client' }, { id: 1, parent: 0, from: 20, to: 180, kind: 'server' })).toEqual([
      'work 0 0–20',
      'work 1 20–100',
    ]);
  });

  it('does not wait for whoever takes a message', () => {
    expect(
      pathOf({ id: 0, from: 0, to: 100, kind: 'producer' }, { id: 1, parent: 0, from: 20, to: 90, kind: 'consumer' }),
    ).toEqual(['work 0 0–100']);
  });

  it('breaks ties by the later start, then by the lower id', () => {
    const twins = (one: number, other: number) =>
      pathOf({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: one, to: 90 }, { id: 2, parent: 0, from: other, to: 90 });
    expect(twins(10, 30)).toEqual(['work 0 0–30', 'work 2 30–90', 'work 0 90–100']);
    expect(twins(10, 10)).toEqual(['work 0 0–10', 'work 1 10–90', 'work 0 90–100']);
  });

  it('leaves out a child without length', () => {
    expect(pathOf({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 50, to: 50 })).toEqual(['work 0 0–100']);
  });

  it('is empty when the root has no length', () => {
    expect(pathOf({ id: 0, from: 0, to: 0 }, { id: 1, parent: 0, from: 0, to: 50 })).toEqual([]);
  });

  it('is the earliest root’s in a forest', () => {
    expect(pathOf({ id: 1, from: 20, to: 500 }, { id: 0, from: 0, to: 100 })).toEqual(['work 0 0–100']);
  });

  it('takes a hundred thousand children, and a chain as deep, without a long wait or a full stack', () => {
    const wide = Array.from({ length: 100_000 }, (_, id) =>
      id === 0 ? makeSpan({ id, from: 0, to: 1e6 }) : makeSpan({ id, parent: 0, from: id, to: 1e6 - 1 }),
    );
    const deep = Array.from({ length: 100_000 }, (_, id) =>
      makeSpan({ id, parent: id === 0 ? undefined : id - 1, from: id, to: 1e6 - id }),
    );
    for (const spans of [wide, deep]) {
      const path = criticalPath(assemble(spans)!);
      expect(path.reduce((sum, { start, end }) => sum + end - start, 0)).toBe(1e6);
    }
  });
});

describe('selfTimes', () => {
  const selfOf = (...sketches: Sketch[]) => selfTimes(assemble(makeSpans(...sketches))!);

  it('takes away the time in which any child ran, once', () => {
    expect(
      selfOf(
        { id: 0, from: 0, to: 100 },
        { id: 1, parent: 0, from: 10, to: 40 },
        { id: 2, parent: 0, from: 30, to: 60 },
        { id: 3, parent: 0, from: 35, to: 38 },
      ),
    ).toEqual([50, 30, 30, 3]);
  });

  it('counts only what lies within the span', () => {
    expect(selfOf({ id: 0, from: 10, to: 100 }, { id: 1, parent: 0, from: 80, to: 200 })).toEqual([70, 120]);
  });
});
