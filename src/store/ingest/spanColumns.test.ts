import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { columnsOf } from '../../../tests/support/columns.ts';
import { makeSpan, makeSpans } from '../../../tests/support/made/traceMaker.ts';
import { epochNanosOf } from '../../core/time/minuteTime.ts';
import { parseTraceId, SPAN_KINDS, type Span } from '../../core/trace/span.ts';
import { CLIENT_ERROR, FAILED, HAS_PARENT, NO_CALL } from './spanColumns.ts';
import { spanIdOf } from './traceRows.ts';

const drawn = fc.record({
  id: fc.integer({ min: 0, max: 30 }),
  parent: fc.option(fc.integer({ min: 0, max: 30 }), { nil: undefined }),
  from: fc.integer({ min: 0, max: 200_000_000_000 }),
  name: fc.constantFrom('place hold', 'find hold', 'SELECT holds'),
  service: fc.constantFrom('holds', 'gateway'),
  kind: fc.constantFrom(...SPAN_KINDS),
  failed: fc.boolean(),
  attributes: fc.record(
    {
      'peer.service': fc.constantFrom('berths', 'fares'),
      'http.response.status_code': fc.constantFrom(200, 404, 503),
      'user.id': fc.constantFrom('guest-1', 'guest-2'),
    },
    { requiredKeys: [] },
  ),
});
const spanOf = (it: typeof drawn extends fc.Arbitrary<infer T> ? T : never): Span => makeSpan({ ...it, to: it.from + 5_000_000 });

describe('spans in columns', () => {
  it('say what each span says, those that came twice once', () => {
    fc.assert(
      fc.property(fc.array(drawn, { minLength: 1, maxLength: 40 }), (list) => {
        const spans = list.map(spanOf);
        const distinct = spans.filter((span, at) => spans.findIndex(({ spanId }) => spanId === span.spanId) === at);
        const columns = columnsOf(spans);
        expect(columns.count).toBe(distinct.length);
        distinct.forEach((span, at) => {
          expect(columns.traceIds[columns.trace[at]]).toBe(span.traceId);
          expect(spanIdOf(columns, at)).toBe(span.spanId);
          expect(epochNanosOf(columns.minute[at], columns.ns[at])).toBe(span.start);
          expect(columns.durationNs[at]).toBe(5_000_000);
          expect(SPAN_KINDS[columns.kind[at]]).toBe(span.kind);
          expect(columns.origins[columns.origin[at]].service).toBe(span.service);
          expect(columns.operations[columns.operation[at]]).toEqual({ service: span.service, name: span.name, kind: span.kind });
          const isCall = ['client', 'producer', 'consumer'].includes(span.kind);
          if (isCall)
            expect(columns.calls[columns.call[at]]).toMatchObject({
              service: span.service,
              kind: span.kind,
              peer: span.attributes['peer.service'] ?? 'unknown',
            });
          else expect(columns.call[at]).toBe(NO_CALL);
          const code = span.attributes['http.response.status_code'];
          const isFailed = span.status === 'error';
          expect(columns.flags[at]).toBe(
            (isFailed ? FAILED : 0) |
              (isFailed && code === 404 ? CLIENT_ERROR : 0) |
              (span.parentSpanId === null ? 0 : HAS_PARENT),
          );
          expect(columns.find(columns.trace[at], columns.idHigh[at], columns.idLow[at])).toBe(at);
        });
        const user = distinct.find((span) => 'user.id' in span.attributes)?.attributes['user.id'] ?? null;
        expect(columns.users).toEqual([user]);
      }),
    );
  });

  it('have the same span id in two traces twice', () => {
    const other = parseTraceId('1'.repeat(32))!;
    const [span] = makeSpans({ id: 1, from: 0, to: 9 });
    const columns = columnsOf([span, { ...span, traceId: other }, span]);
    expect([columns.count, columns.traceIds]).toEqual([2, [span.traceId, other]]);
  });

  it('name the user whom a span names beside the one who is signed in', () => {
    const attributes = { 'user.id': 'clerk', 'enduser.id': 'guest-3', 'session.id': 's-1' };
    const columns = columnsOf(makeSpans({ id: 1, from: 0, to: 9 }, { id: 2, from: 0, to: 9, attributes }));
    expect([columns.users, columns.sessions]).toEqual([['guest-3'], ['s-1']]);
  });
});
