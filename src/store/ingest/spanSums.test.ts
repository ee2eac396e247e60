import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { columnsOf } from '../../../tests/support/columns.ts';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { NO_FACET } from '../../formats/otlp/attributes/seenAttributes.ts';
import { copyLine } from '../database/copyRows.ts';
import type { AssignedSpans } from './assignDays.ts';
import { layOutSpans } from './layOutSpans.ts';
import { type LaidOutSpans, sumUp, traceRows } from './spanSums.ts';
import { type TraceRow, traceCells, traceLine } from './traceRows.ts';

const traceId = (trace: number) => trace.toString(16).padStart(32, '0') as TraceId;

/** A span, told by small numbers. */
const drawn = fc.record({
  trace: fc.integer({ min: 1, max: 4 }),
  parent: fc.option(fc.integer({ min: 0, max: 9 }), { nil: undefined }),
  kind: fc.constantFrom('client' as const, 'server' as const, 'internal' as const),
  operation: fc.integer({ min: 1, max: 5 }),
  atMs: fc.integer({ min: 0, max: 50_000 }),
  failed: fc.boolean(),
  user: fc.option(fc.constantFrom('guest-1', 'tab\tand \\ slash', 'line\nbreak')),
});
type Drawn = typeof drawn extends fc.Arbitrary<infer T> ? T : never;

/** Operations and calls of the same number have the same id. */
const numberOf = (text: string) => Number(text.replace(/\D/g, ''));

function spanOf({ trace, parent, kind, operation, atMs, failed, user }: Drawn, id: number): Span {
  const from = atMs * 1_000_000;
  const attributes = { 'peer.service': `peer ${operation}`, ...(user === null ? {} : { 'user.id': user }) };
  const name = `operation ${operation}`;
  return {
    ...makeSpan({ id, parent, kind, name, from, to: from + 1_000_000 + id, failed, attributes, service: 'holds' }),
    traceId: traceId(trace),
  };
}

/** The spans of a request; of their attributes the peers are facets, with the number of the operation. */
async function request(spans: readonly Span[], hash: string): Promise<LaidOutSpans> {
  const columns = columnsOf(spans);
  const placed: AssignedSpans = {
    columns,
    operationIds: columns.operations.map(({ name }) => numberOf(name)),
    callIds: columns.calls.map(({ peer }) => numberOf(peer)),
    instanceIds: columns.origins.map(() => 1),
    resourceFacetIds: columns.origins.map(() => [40, 41]),
  };
  for (const attribute of columns.attributes)
    attribute.facetId = attribute.key === 'user.id' ? NO_FACET : numberOf(String(attribute.value));
  return { spans: placed, layout: await layOutSpans(columns, (day) => day, hash, 1) };
}

/** What a row says, but for what tells in which order its spans came. */
const factsOf = (rows: ReadonlyMap<string, TraceRow>) =>
  [...rows.keys()].sort().map((id) => {
    const { blocks, spanKeys, unmatchedCalls, facetIds, userRef, ...row } = rows.get(id)!;
    return {
      ...row,
      operationIds: [...row.operationIds].sort(),
      facetIds: [...new Set(facetIds)].sort(),
      keys: (spanKeys.match(/.{8}/g) ?? []).sort(),
      ends: unmatchedCalls.encode().length,
    };
  });
const callsOf = (metOf: Map<string, { call: { callId: number; operationId: number } }[]>) =>
  [...metOf.values()].flat().map(({ call }) => `${call.callId} ${call.operationId}`);

describe('the row of a trace', () => {
  it('goes over as its cells say', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(drawn, { minLength: 1, maxLength: 20 }), async (spans) => {
        const { rows } = traceRows([await request(spans.map(spanOf), 'a')], new Map());
        for (const row of rows.values()) expect(traceLine(row)).toBe(copyLine(traceCells(row)));
      }),
      { numRuns: 40 },
    );
  });

  it('is the same in one go and in two, the second on top of what was known, and all calls meet either way', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(drawn, { minLength: 2, maxLength: 24 }), fc.nat({ max: 24 }), async (list, cut) => {
        const spans = list.map(spanOf);
        const at = cut % spans.length;
        const requests = [await request(spans.slice(0, at), 'a'), await request(spans.slice(at), 'b')];
        const whole = traceRows([await request(spans, 'c')], new Map());
        const together = traceRows(requests, new Map());
        const first = traceRows([requests[0]], new Map());
        const metBefore = callsOf(first.metOf);
        const second = traceRows([requests[1]], first.rows);
        const untouched = [...first.rows].filter(([id]) => !second.rows.has(id));
        expect(factsOf(new Map([...untouched, ...second.rows]))).toEqual(factsOf(whole.rows));
        expect(factsOf(together.rows)).toEqual(factsOf(whole.rows));
        expect([...metBefore, ...callsOf(second.metOf)].sort()).toEqual(callsOf(whole.metOf).sort());
      }),
      { numRuns: 60 },
    );
  });

  it('is the one that a count from the spans gives', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(drawn, { minLength: 1, maxLength: 24 }), async (list) => {
        const spans = list.map(spanOf);
        const { rows } = traceRows([await request(spans, 'a')], new Map());
        for (const [id, row] of rows) {
          const own = spans.filter((span) => span.traceId === id);
          const starts = own.map(({ start }) => start).sort((a, b) => (a < b ? -1 : 1));
          const entries = own.filter(({ parentSpanId }) => parentSpanId === null);
          const [root] = [...(entries.length > 0 ? entries : own)].sort((a, b) =>
            a.start === b.start ? (a.spanId < b.spanId ? -1 : 1) : a.start < b.start ? -1 : 1,
          );
          expect(row).toMatchObject({
            spanCount: own.length,
            failedSpanCount: own.filter(({ status }) => status === 'error').length,
            rootFound: entries.length > 0,
            rootSpanId: root.spanId,
            rootFailed: root.status === 'error',
            durationNs: Number(root.end - root.start),
          });
          const peers = own.map(({ name }) => numberOf(name));
          expect([...row.facetIds].sort()).toEqual([...new Set([...peers, 40, 41])].sort());
          const cells = traceCells(row);
          expect([cells[2], cells[7]]).toEqual([String(starts[0]), String(root.start)]);
        }
      }),
      { numRuns: 60 },
    );
  });

  it('is made for the traces that are wanted alone', async () => {
    const plain = { parent: undefined, kind: 'server' as const, operation: 1, atMs: 0, failed: false, user: null };
    const spans = [1, 2, 1, 3].map((trace, at) => spanOf({ trace, ...plain }, at));
    const { rows } = traceRows([await request(spans, 'a')], new Map(), (id) => id !== traceId(1));
    expect([...rows.keys()]).toEqual([traceId(2), traceId(3)]);
  });

  it('names all blocks in which it lies', async () => {
    const plain = { kind: 'internal' as const, operation: 1, atMs: 0, failed: false, user: null };
    const spans = Array.from({ length: 1100 }, (_, at) => spanOf({ trace: at < 1050 ? 1 : 2, parent: undefined, ...plain }, at));
    const one = await request(spans, 'a');
    const { rows } = traceRows([one], new Map());
    const ids = one.layout.blocks.map(({ id }) => id);
    expect(ids).toHaveLength(3);
    expect([rows.get(traceId(1))!.blocks, rows.get(traceId(2))!.blocks]).toEqual([ids, [ids[2]]]);
  });
});

describe('what spans come to', () => {
  it('counts each once for its operation, entries also all together, callers and instances', async () => {
    const span = (kind: Drawn['kind'], operation: number, parent: number | undefined, id: number) =>
      spanOf({ trace: 1, parent, kind, operation, atMs: 1, failed: id === 1, user: null }, id);
    const spans = [span('server', 1, undefined, 0), span('client', 2, 0, 1), span('server', 3, 1, 2)];
    const sums = sumUp([await request(spans, 'a')]);
    const counts = (lines: string) =>
      lines
        .trimEnd()
        .split('\n')
        .map((line) => line.split('\t').slice(2, 6).join(' '));
    expect(counts(sums.operationLines)).toEqual(['1 true 1 0', '0 true 1 0', '2 false 1 1', '3 false 1 0']);
    expect(counts(sums.callLines)).toEqual(['2 false 1 1']);
    expect(counts(sums.instanceLines)).toEqual(['1 false 2 0']);
    expect(Array.from(sums.traces, ({ id, met }) => [id, met.map(({ call }) => [call.callId, call.operationId])])).toEqual([
      [traceId(1), [[2, 3]]],
    ]);
  });
});
