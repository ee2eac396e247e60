import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Condition, condition, isNegative } from '../scope/condition.ts';
import { eventFields } from '../trace/eventFields.ts';
import type { Attributes, Span, SpanId, TraceId } from '../trace/span.ts';
import { matchRows, NO, UNSURE, YES } from './matchRows.ts';
import { RequestSegmentWriter } from './requestColumns.ts';
import { requestFits } from './requestFits.ts';
import { LONGEST_VALUE, requestRow } from './requestRow.ts';

const LONG = 'x'.repeat(LONGEST_VALUE + 1);
const value = fc.constantFrom<string | number>('tern', 'marram', 'TERN east', '', 4, 12.5, LONG);
const attributes = fc.dictionary(fc.constantFrom('route', 'size', 'note', 'service.version'), value, {
  maxKeys: 3,
}) as fc.Arbitrary<Attributes>;

const span = fc.record({
  parent: fc.nat(6),
  service: fc.constantFrom('holds', 'berths', 'fares'),
  name: fc.constantFrom('place', 'solve', 'price'),
  kind: fc.constantFrom('server', 'client', 'internal') as fc.Arbitrary<Span['kind']>,
  ms: fc.nat(900),
  failed: fc.boolean(),
  attributes,
  resource: attributes,
  events: fc.array(fc.tuple(fc.constantFrom('retry', 'gate shut', 'exception', ''), attributes), { maxLength: 2 }),
});

const request = fc.array(span, { minLength: 1, maxLength: 6 }).map((drafts): Span[] =>
  drafts.map((it, at) => ({
    traceId: '1'.repeat(32) as TraceId,
    spanId: idOf(at),
    // Parents that are absent, in a circle, and itself are among them.
    parentSpanId: it.parent === 0 ? null : idOf(it.parent - 1),
    traceState: '',
    name: it.name,
    service: it.service,
    kind: it.kind,
    start: 1_000_000_000n + BigInt(at),
    end: 1_000_000_000n + BigInt(at) + BigInt(it.ms) * 1_000_000n,
    status: it.failed ? 'error' : 'unset',
    statusMessage: '',
    attributes: it.attributes,
    resource: it.resource,
    scope: { name: '', version: '' },
    events: it.events.map(([name, of], index) => ({ time: BigInt(index), name, attributes: of })),
    links: [],
  })),
);

function idOf(at: number): SpanId {
  return (at + 1).toString(16).padStart(16, '0') as SpanId;
}

const valued = fc
  .tuple(
    fc.constantFrom('route', 'size', 'note', 'absent', 'event:name', 'event:retry:route', 'event:gate_shut:note'),
    fc.constantFrom('is', 'is not', 'contains', 'lacks'),
    fc.constantFrom('tern', 'marram', '4', 'east', 'retry'),
  )
  .map(([field, operator, text]) => condition(field, operator as Condition['operator'], text));
const bare = fc
  .tuple(fc.constantFrom('route', 'note', 'absent'), fc.constantFrom('exists', 'is missing'))
  .map(([field, operator]) => condition(field, operator as Condition['operator']));
const sized = fc
  .tuple(fc.constantFrom('over', 'under', 'at least', 'at most'), fc.nat(14))
  .map(([operator, bound]) => condition('size', operator as Condition['operator'], String(bound)));
const step = fc.constantFrom(
  'service is holds',
  'berths and duration over 300ms',
  'operation is solve and failed',
  'kind is not client',
  'route is tern',
  'note lacks tern',
  'service is berths and service.version is tern',
  'service.version contains tern and service is not fares',
  'size over 5 and service is fares',
);
const pattern = fc
  .tuple(
    fc.constantFrom('span', 'root'),
    fc.constantFrom('where', 'nowhere'),
    fc.array(step, { minLength: 1, maxLength: 3 }),
    fc.constantFrom(' above ', ' directly above '),
  )
  .map(([field, operator, steps, how]) => condition(field, operator as Condition['operator'], steps.join(how)));
const conditions = fc.array(fc.oneof(valued, bare, sized, pattern), { minLength: 1, maxLength: 3 });

function segmentOf(requests: readonly (readonly Span[])[]) {
  const writer = new RequestSegmentWriter(0n);
  for (const spans of requests)
    writer.add(
      requestRow(
        {
          traceId: spans[0].traceId,
          startNs: 1_000_000_000n,
          rootStartNs: 1_000_000_000n,
          durationNs: 5,
          rootFound: true,
          rootFailed: false,
          failedSpanCount: 0,
          spanCount: spans.length,
          entry: { service: 'gangway', name: 'POST', kind: 'server' },
          user: null,
          session: null,
        },
        spans,
      ),
    );
  return writer.finish();
}

describe('rows of columns', () => {
  it('fit what their spans fit, and are never sure of what is not so', () => {
    fc.assert(
      fc.property(fc.array(request, { minLength: 1, maxLength: 8 }), conditions, (requests, where) => {
        const marks = matchRows(segmentOf(requests), { where });
        for (const [row, spans] of requests.entries()) {
          const fits = requestFits(spans, { where });
          if (marks[row] !== UNSURE) expect(marks[row]).toBe(fits ? YES : NO);
        }
      }),
      { numRuns: 1500 },
    );
  });

  it('are sure wherever no long value and no attribute in a pattern is asked for', () => {
    fc.assert(
      fc.property(fc.array(request, { minLength: 1, maxLength: 8 }), fc.oneof(valued, bare, sized), (requests, it) => {
        const isShort = requests.every((spans) =>
          spans.every(
            (one) =>
              one.attributes[it.field] !== LONG &&
              one.resource[it.field] !== LONG &&
              !eventFields(one).get(it.field)?.includes(LONG),
          ),
        );
        if (isShort) expect(matchRows(segmentOf(requests), { where: [it] })).not.toContain(UNSURE);
      }),
    );
  });

  it('that may have a value which is too long to be stored are unsure, also of the opposite', () => {
    const spans = fc
      .sample(request, { numRuns: 1, seed: 3 })[0]
      .map((it) => ({ ...it, attributes: { note: LONG }, resource: {} }));
    const segment = segmentOf([spans]);
    for (const operator of ['contains', 'lacks'] as const)
      expect([...matchRows(segment, { where: [condition('note', operator, 'tern')] })]).toEqual([UNSURE]);
    // That there is a value is known.
    expect([...matchRows(segment, { where: [condition('note', 'exists')] })]).toEqual([YES]);
    expect(isNegative('lacks')).toBe(true);
  });
});

describe('a segment whose sender makes up keys', () => {
  it('has a bounded number of columns, and says where it cannot tell', () => {
    const [spans] = fc.sample(request, { numRuns: 1, seed: 5 });
    const requests = Array.from({ length: 600 }, (_, at) => [
      { ...spans[0], attributes: { [`made.up.${at}`]: 'yes' }, resource: {} },
    ]);
    const segment = segmentOf(requests);
    expect(segment.names.length).toBeLessThan(450);
    const marks = matchRows(segment, { where: [condition('made.up.599', 'is', 'yes')] });
    expect(marks[599]).toBe(UNSURE);
    expect(marks[0]).toBe(NO);
    expect([...matchRows(segment, { where: [condition('made.up.3', 'is', 'yes')] })].filter((mark) => mark === YES)).toHaveLength(
      1,
    );
  });

  it('is the same when it is copied row by row', () => {
    fc.assert(
      fc.property(fc.array(request, { minLength: 1, maxLength: 6 }), conditions, (requests, where) => {
        const segment = segmentOf(requests);
        const writer = new RequestSegmentWriter(0n);
        for (let row = 0; row < segment.rows; row++) writer.copy(segment, row);
        expect([...matchRows(writer.finish(), { where })]).toEqual([...matchRows(segment, { where })]);
      }),
      { numRuns: 300 },
    );
  });
});
