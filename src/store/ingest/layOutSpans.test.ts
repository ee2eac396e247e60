import { describe, expect, it } from 'vitest';
import { columnsOf } from '../../../tests/support/columns.ts';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { unpack } from '../blocks/unpackBlocks.ts';
import { daysOfSpans, type LayoutChanges, layOutSpans } from './layOutSpans.ts';
import type { SpanColumns } from './spanColumns.ts';
import { spanIdOf } from './traceRows.ts';

const DAY_NS = 86_400_000_000_000;
const traceId = (trace: number) => trace.toString(16).padStart(32, '1') as TraceId;
const spanIn = (trace: number, id: number, more: { day?: number; service?: string; bytes?: number } = {}): Span => ({
  ...makeSpan({
    id,
    from: (more.day ?? 0) * DAY_NS + id,
    to: (more.day ?? 0) * DAY_NS + id + 1,
    service: more.service,
    attributes: more.bytes ? { note: 'n'.repeat(more.bytes) } : {},
  }),
  traceId: traceId(trace),
});
const layOut = (columns: SpanColumns, changes?: LayoutChanges, attempt = 1) =>
  layOutSpans(columns, (day) => day, 'hash', attempt, changes);
const spansIn = async (data: Buffer) =>
  (await unpack(data)).groups.flatMap(({ records }) => records.map((record) => readSpan(record, {}, { name: '', version: '' })));

describe('where spans lie', () => {
  it('is in blocks that hold all of them, once', async () => {
    const spans = Array.from({ length: 1700 }, (_, at) => spanIn(at % 90, at, { service: at % 3 === 0 ? 'holds' : 'berths' }));
    const { blocks, order } = await layOut(columnsOf(spans));
    expect(blocks.map(({ records, from, to }) => [records, to - from])).toEqual([
      [512, 512],
      [512, 512],
      [512, 512],
      [164, 164],
    ]);
    const kept = (await Promise.all(blocks.map(({ data }) => spansIn(data)))).flat();
    expect(kept.map(({ spanId }) => spanId).sort()).toEqual(spans.map(({ spanId }) => spanId).sort());
    expect([...order].sort((a, b) => a - b)).toEqual(spans.map((_, at) => at));
  });

  it('keeps the spans of a trace together, though they came apart', async () => {
    const columns = columnsOf(Array.from({ length: 600 }, (_, at) => spanIn(at % 10, at)));
    const { blocks, from, to } = await layOut(columns);
    const touched = Array.from(
      from,
      (first, trace) => blocks.filter((block) => block.from < to[trace] && block.to > first).length,
    );
    expect(blocks).toHaveLength(2);
    // At most the one that stands across the border lies in two.
    expect(touched.filter((many) => many > 1).length).toBeLessThan(2);
    expect(touched.reduce((sum, many) => sum + many, 0)).toBeLessThan(12);
  });

  it('is the day on which the trace began, for all its spans; each block is of one day', async () => {
    const spans = [spanIn(1, 1, { day: 1 }), spanIn(2, 2), spanIn(3, 3, { day: 1 }), spanIn(2, 4, { day: 1 }), spanIn(4, 5)];
    const columns = columnsOf(spans);
    const { blocks, day } = await layOut(columns);
    const first = Math.min(...daysOfSpans(columns));
    expect([...day].map((it) => it - first)).toEqual([1, 0, 1, 0]);
    expect(blocks.map((block) => [block.day - first, block.records])).toEqual([
      [0, 3],
      [1, 2],
    ]);
    expect(blocks.map(({ firstNs, lastNs }) => [firstNs, lastNs])).toEqual([
      [spans[1].start, spans[3].start],
      [spans[0].start, spans[2].start],
    ]);
  });

  it('is elsewhere when the trace is, and what is left out lies nowhere', async () => {
    const columns = columnsOf([spanIn(1, 1), spanIn(1, 2), spanIn(2, 3)]);
    const { blocks, order, day } = await layOut(columns, { homes: new Map([[traceId(2), 7]]), leftOut: new Set([1]) });
    expect(day[1]).toBe(7);
    expect(Array.from(order, (at) => spanIdOf(columns, at).slice(-1))).toEqual(['4', '2']);
    expect(blocks.map(({ records }) => records)).toEqual([1, 1]);
    const nothing = await layOut(columns, { leftOut: new Set([0, 1, 2]) });
    expect([nothing.blocks, nothing.order.length]).toEqual([[], 0]);
  });

  it('is a block of its own for what is large', async () => {
    const spans = [spanIn(1, 1, { bytes: 200_000 }), spanIn(1, 2, { bytes: 200_000 }), spanIn(1, 3, { bytes: 900_000 })];
    expect((await layOut(columnsOf(spans))).blocks.map(({ records }) => records)).toEqual([2, 1]);
  });

  it('has other ids for its blocks at another attempt', async () => {
    const columns = columnsOf(Array.from({ length: 1200 }, (_, at) => spanIn(at, at)));
    const ids = async (attempt: number) => (await layOut(columns, {}, attempt)).blocks.map(({ id }) => id);
    expect(await ids(1)).toEqual(await ids(1));
    expect(new Set([...(await ids(1)), ...(await ids(2))]).size).toBe(6);
  });
});
