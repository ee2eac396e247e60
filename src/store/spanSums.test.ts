import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { copyLine } from './copyRows.ts';
import type { PackedBlock } from './packBlocks.ts';
import type { SpanArrival } from './spanArrival.ts';
import { sumUp, traceRows } from './spanSums.ts';
import { type TraceRow, traceCells, traceLine } from './traceRows.ts';

const DAY = 20_000;
const MINUTE = DAY * 1440 + 12;
const START = BigInt(MINUTE) * 60_000_000_000n;
const hex = (number: number, digits: number) => number.toString(16).padStart(digits, '0');

/** A span, told by small numbers. */
const drawn = fc.record({
  trace: fc.integer({ min: 1, max: 4 }),
  parent: fc.option(fc.integer({ min: 1, max: 9 })),
  kind: fc.constantFrom('client' as const, 'server' as const, 'internal' as const),
  operation: fc.integer({ min: 1, max: 5 }),
  atMs: fc.integer({ min: 0, max: 50_000 }),
  failed: fc.boolean(),
  user: fc.option(fc.constantFrom('guest-1', 'tab\tand \\ slash', 'line\nbreak')),
  facets: fc.array(fc.integer({ min: 1, max: 30 }), { maxLength: 5 }),
});
type Drawn = typeof drawn extends fc.Arbitrary<infer T> ? T : never;

function arrivalOf({ trace, parent, kind, operation, atMs, failed, user, facets }: Drawn, at: number): SpanArrival {
  const head = {
    traceId: hex(trace, 32),
    spanId: hex(at + 1, 16),
    parentSpanId: parent === null ? null : hex(parent, 16),
    name: `operation ${operation}`,
    kind,
    start: START + BigInt(atMs) * 1_000_000n,
    durationNs: 1_000_000 + at,
    failed,
    told: user === null ? {} : { 'user.id': user },
  };
  return {
    head,
    service: 'holds',
    resource: {},
    group: { resource: new Uint8Array(0) },
    record: new Uint8Array(0),
    firstNs: head.start,
    day: DAY,
    operationId: operation,
    callId: kind === 'client' ? operation : null,
    instanceId: 1,
    facetIds: facets,
    resourceFacetIds: [40, 41],
    minute: MINUTE,
    tallied: { durationNs: head.durationNs, failed, mistake: false },
  } as unknown as SpanArrival;
}

const blockOf = (id: number, arrivals: SpanArrival[]) => ({ id, day: DAY, arrivals }) as unknown as PackedBlock<SpanArrival>;
const linesOf = (rows: ReadonlyMap<string, TraceRow>) => [...rows.keys()].sort().map((id) => traceLine(rows.get(id)!));
const callsOf = (metOf: Map<string, { call: { callId: number; operationId: number } }[]>) =>
  [...metOf.values()].flat().map(({ call }) => `${call.callId} ${call.operationId}`);

describe('the row of a trace', () => {
  it('goes over as its cells say', () => {
    fc.assert(
      fc.property(fc.array(drawn, { minLength: 1, maxLength: 20 }), (spans) => {
        const { rows } = traceRows([blockOf(7, spans.map(arrivalOf))], new Map());
        for (const row of rows.values()) expect(traceLine(row)).toBe(copyLine(traceCells(row)));
      }),
    );
  });

  it('is the same in one go and in two, the second on top of what was known, and all calls meet either way', () => {
    fc.assert(
      fc.property(fc.array(drawn, { minLength: 2, maxLength: 24 }), fc.nat({ max: 24 }), (spans, cut) => {
        const arrivals = () => spans.map(arrivalOf);
        const at = cut % spans.length;
        const blocks = [blockOf(1, arrivals().slice(0, at)), blockOf(2, arrivals().slice(at))];
        const whole = traceRows(blocks, new Map());
        const first = traceRows([blocks[0]], new Map());
        const metBefore = callsOf(first.metOf);
        const second = traceRows([blocks[1]], first.rows);
        const untouched = [...first.rows].filter(([id]) => !second.rows.has(id));
        expect(linesOf(new Map([...untouched, ...second.rows]))).toEqual(linesOf(whole.rows));
        expect([...metBefore, ...callsOf(second.metOf)].sort()).toEqual(callsOf(whole.metOf).sort());
      }),
    );
  });

  it('is made for the traces that are wanted alone', () => {
    const arrivals = [1, 2, 1, 3].map((trace, at) =>
      arrivalOf({ trace, parent: null, kind: 'server', operation: 1, atMs: 0, failed: false, user: null, facets: [] }, at),
    );
    const { rows } = traceRows([blockOf(1, arrivals)], new Map(), (id) => id !== hex(1, 32));
    expect([...rows.keys()]).toEqual([hex(2, 32), hex(3, 32)]);
  });
});

describe('what spans come to', () => {
  it('counts each once for its operation, entries also all together, callers and instances', () => {
    const span = (kind: Drawn['kind'], operation: number, parent: number | null, at: number) =>
      arrivalOf({ trace: 1, parent, kind, operation, atMs: 1, failed: at === 1, user: null, facets: [] }, at);
    const sums = sumUp([blockOf(1, [span('server', 1, null, 0), span('client', 2, 1, 1), span('server', 3, 2, 2)])]);
    const counts = (lines: string) =>
      lines
        .trimEnd()
        .split('\n')
        .map((line) => line.split('\t').slice(2, 6).join(' '));
    expect(counts(sums.operationLines)).toEqual(['1 true 1 0', '0 true 1 0', '2 false 1 1', '3 false 1 0']);
    expect(counts(sums.callLines)).toEqual(['2 false 1 1']);
    expect(counts(sums.instanceLines)).toEqual(['1 false 2 0']);
    expect(Array.from(sums.traces, ({ id, met }) => [id, met.map(({ call }) => [call.callId, call.operationId])])).toEqual([
      [hex(1, 32), [[2, 3]]],
    ]);
  });
});
