import { describe, expect, it } from 'vitest';
import { idOf, makeSpan, makeSpans } from '../../../tests/support/made/traceMaker.ts';
import { assemble, type Trace } from './assemble.ts';

const outline = (trace: Trace) => trace.nodes.map(({ span, depth }) => `${'  '.repeat(depth)}${span.name}`);
const typesOf = (trace: Trace) => trace.problems.map(({ type, spanId }) => `${type} ${Number.parseInt(spanId, 16) - 1}`);

describe('assemble', () => {
  it('puts spans in a tree, depth first, children by start, whatever order they come in', () => {
    const spans = makeSpans(
      { id: 3, parent: 0, from: 50, to: 90 },
      { id: 0, from: 0, to: 100 },
      { id: 2, parent: 1, from: 15, to: 30 },
      { id: 1, parent: 0, from: 10, to: 40 },
    );
    const trace = assemble(spans)!;
    expect(outline(trace)).toEqual(['work 0', '  work 1', '    work 2', '  work 3']);
    expect(trace.problems).toEqual([]);
    expect(outline(assemble([...spans].reverse())!)).toEqual(outline(trace));
  });

  it('has no trace of no spans', () => {
    expect(assemble([])).toBeUndefined();
  });

  it('hangs a span whose parent is absent under the root, and says so', () => {
    const trace = assemble(makeSpans({ id: 0, from: 0, to: 100 }, { id: 5, parent: 9, from: 20, to: 30 }))!;
    expect(outline(trace)).toEqual(['work 0', '  work 5']);
    expect(typesOf(trace)).toEqual(['missing-parent 5']);
  });

  it('takes the earliest span for the root when none is without a parent', () => {
    const trace = assemble(makeSpans({ id: 1, parent: 8, from: 10, to: 30 }, { id: 2, parent: 9, from: 5, to: 100 }))!;
    expect(outline(trace)).toEqual(['work 2', '  work 1']);
    expect(trace.nodes[trace.roots[0]].start).toBe(0);
  });

  it('keeps further roots beside the earliest', () => {
    const trace = assemble(makeSpans({ id: 1, from: 10, to: 30 }, { id: 0, from: 0, to: 20 }))!;
    expect(outline(trace)).toEqual(['work 0', 'work 1']);
    expect(trace.roots).toEqual([0, 1]);
    expect(typesOf(trace)).toEqual(['further-root 1']);
  });

  it('counts a span that came twice once', () => {
    const trace = assemble(
      makeSpans({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 1, to: 2 }, { id: 1, parent: 0, from: 1, to: 2 }),
    )!;
    expect(trace.nodes).toHaveLength(2);
    expect(typesOf(trace)).toEqual(['duplicate 1']);
  });

  it('cuts a circle at its earliest span', () => {
    const trace = assemble(
      makeSpans(
        { id: 0, from: 0, to: 100 },
        { id: 1, parent: 3, from: 30, to: 40 },
        { id: 2, parent: 1, from: 20, to: 50 },
        { id: 3, parent: 2, from: 25, to: 45 },
      ),
    )!;
    expect(outline(trace)).toEqual(['work 0', '  work 2', '    work 3', '      work 1']);
    expect(typesOf(trace)).toEqual(['cycle 2']);
  });

  it('cuts a span that is its own parent, even when it is all there is', () => {
    const trace = assemble(makeSpans({ id: 0, parent: 0, from: 0, to: 10 }))!;
    expect(outline(trace)).toEqual(['work 0']);
    expect(typesOf(trace)).toEqual(['cycle 0']);
  });

  it('pulls back a time that is years off, so that numbers stay exact', () => {
    const spans = makeSpans({ id: 0, from: 0, to: 100 }, { id: 1, parent: 0, from: 10, to: 20 });
    const lost = { ...spans[1], start: spans[1].start + 10n ** 18n, end: spans[1].end + 10n ** 18n };
    const trace = assemble([spans[0], lost])!;
    expect(typesOf(trace)).toEqual(['time-out-of-range 1']);
    for (const { start, end } of trace.nodes) expect(Number.isSafeInteger(start) && Number.isSafeInteger(end)).toBe(true);
  });

  it('takes a chain of a hundred thousand spans', () => {
    const spans = Array.from({ length: 100_000 }, (_, id) =>
      makeSpan({ id, parent: id === 0 ? undefined : id - 1, from: id, to: 200_000 - id }),
    );
    expect(assemble(spans)!.nodes.at(-1)).toMatchObject({ depth: 99_999, span: { spanId: idOf(99_999) } });
  });
});

describe('clock skew', () => {
  const call = (client: [number, number], server: [number, number], hosts = ['quay-1', 'quay-2']) =>
    assemble(
      makeSpans(
        { id: 0, from: client[0], to: client[1], kind: 'client', host: hosts[0] },
        { id: 1, parent: 0, from: server[0], to: server[1], kind: 'server', host: hosts[1] },
        { id: 2, parent: 1, from: server[0] + 1, to: server[1], host: hosts[1] },
      ),
    )!;
  const shiftOf = (trace: Trace) => trace.nodes.map(({ shift }) => shift);

  it('moves a server span that ends after its client by the least that fits, with all below it', () => {
    const trace = call([0, 100], [70, 130]);
    expect(shiftOf(trace)).toEqual([0, -30, -30]);
    expect(trace.nodes[1]).toMatchObject({ start: 40, end: 100 });
    expect(typesOf(trace)).toEqual(['clock-skew 1']);
  });

  it('moves one that begins too early to the start of its client', () => {
    const trace = call([50, 150], [0, 60]);
    // The trace starts with the earliest time as sent, which is the server's.
    expect(trace.nodes.map(({ start, end }) => [start, end])).toEqual([
      [50, 150],
      [50, 110],
      [51, 110],
    ]);
  });

  it('centres one that is longer than its client', () => {
    expect(call([100, 200], [150, 271]).nodes[1]).toMatchObject({ start: -11, end: 110, shift: -61 });
  });

  it('leaves what lies inside, what runs on one host, and what does not name its host', () => {
    expect(shiftOf(call([0, 100], [20, 80]))).toEqual([0, 0, 0]);
    expect(shiftOf(call([0, 100], [70, 130], ['quay-1', 'quay-1']))).toEqual([0, 0, 0]);
    expect(shiftOf(call([0, 100], [70, 130], ['', 'quay-2']))).toEqual([0, 0, 0]);
  });
});
