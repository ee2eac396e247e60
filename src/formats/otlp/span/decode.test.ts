import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomTrace } from '../../../../tests/support/made/randomTrace.ts';
import { makeSpan, makeSpans } from '../../../../tests/support/made/traceMaker.ts';
import type { Span } from '../../../core/trace/span.ts';
import { MalformedRequest } from '../wire/refusal.ts';
import { decodeTraces } from './decodeTraces.ts';
import { encodeTracesProtobuf } from './encodeProtobuf.ts';

const decodeTracesJson = (text: string) => decodeTraces(Buffer.from(text), 'application/json');
const decodeTracesProtobuf = (bytes: Uint8Array) => decodeTraces(bytes, 'application/x-protobuf');
const protobuf = (spans: Span[]) => decodeTracesProtobuf(Buffer.from(encodeTracesProtobuf(spans)));
const good = {
  traceId: '0af7651916cd43dd8448eb211c80319c',
  spanId: 'b7ad6b7169203331',
  name: 'GET /',
  kind: 2,
  startTimeUnixNano: '1000',
  endTimeUnixNano: '2000',
};
const body = (...spans: unknown[]) => JSON.stringify({ resourceSpans: [{ resource: {}, scopeSpans: [{ spans }] }] });
const json = (...spans: unknown[]) => decodeTracesJson(body(...spans));
const refusalsOf = (...spans: unknown[]) => Object.fromEntries(json(...spans).refusals.byReason);
const value = (of: unknown) => json({ ...good, attributes: [{ key: 'it', value: of }] }).spans[0].attributes.it;

describe('protobuf', () => {
  it('reads back what was written, of every shape of trace', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const byId = (a: Span, b: Span) => (a.spanId < b.spanId ? -1 : 1);
        expect(protobuf(spans).spans.sort(byId)).toEqual([...spans].sort(byId));
      }),
      { numRuns: 200 },
    );
  });

  it('keeps every type of attribute, events, links, status and the state of the trace', () => {
    const span: Span = {
      ...makeSpan({ id: 1, from: 5, to: 9, kind: 'consumer', failed: true }),
      statusMessage: 'sank',
      traceState: 'reach=1',
      attributes: {
        text: 'Öre',
        whole: -5,
        half: 0.5,
        yes: true,
        list: ['a', 1, [false]],
        map: { inner: { deep: 1 } },
        nothing: null,
      },
      events: [{ time: 1_777_730_520_000_000_123n, name: 'exception', attributes: { 'exception.type': 'Sunk' } }],
      links: [
        {
          traceId: makeSpan({ id: 0, from: 0, to: 1 }).traceId,
          spanId: makeSpan({ id: 7, from: 0, to: 1 }).spanId,
          traceState: '',
          attributes: { why: 'batch' },
        },
      ],
    };
    expect(protobuf([span]).spans).toEqual([span]);
  });

  it('does not mind the resource coming after its spans', () => {
    // resource_spans { scope_spans {…} resource {…} }, put together from two messages whose inner parts change places.
    const whole = Buffer.from(encodeTracesProtobuf(makeSpans({ id: 0, from: 0, to: 1 })));
    const inner = whole.subarray(2 + (whole[1] > 127 ? 1 : 0));
    const head = 2 + inner[1];
    const turned = Buffer.concat([whole.subarray(0, whole.length - inner.length), inner.subarray(head), inner.subarray(0, head)]);
    expect(decodeTracesProtobuf(turned).spans[0].service).toBe('holds');
  });

  it('passes over fields it does not know', () => {
    const known = Buffer.from(encodeTracesProtobuf(makeSpans({ id: 0, from: 0, to: 1 })));
    const unknown = Buffer.from([((99 << 3) & 0x7f) | 0x80, 99 >> 4, 1]);
    expect(decodeTracesProtobuf(Buffer.concat([unknown, known])).spans).toHaveLength(1);
  });

  it('never fails otherwise than as a malformed request, whatever the bytes', () => {
    const whole = Buffer.from(
      encodeTracesProtobuf(
        makeSpans({ id: 0, from: 0, to: 1, attributes: { a: [1, 'b'] } }, { id: 1, parent: 0, from: 0, to: 1 }),
      ),
    );
    const mutated = fc.tuple(
      fc.integer({ min: 0, max: whole.length }),
      fc.array(fc.tuple(fc.nat(whole.length - 1), fc.integer({ min: 0, max: 255 })), { maxLength: 4 }),
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.uint8Array({ maxLength: 200 }).map((it) => Buffer.from(it)),
          mutated.map(([length, changes]) => {
            const bytes = Buffer.from(whole);
            for (const [at, byte] of changes) bytes[at] = byte;
            return bytes.subarray(0, length);
          }),
        ),
        (bytes) => {
          try {
            decodeTracesProtobuf(bytes);
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedRequest);
          }
        },
      ),
      { numRuns: 5000 },
    );
  });

  it('says that a cut-off body is cut off', () => {
    const whole = Buffer.from(encodeTracesProtobuf(makeSpans({ id: 0, from: 0, to: 1 })));
    expect(() => decodeTracesProtobuf(whole.subarray(0, whole.length - 3))).toThrow(MalformedRequest);
  });
});

describe('JSON', () => {
  it('gives the same span as protobuf', () => {
    const span = {
      ...makeSpan({
        id: 3,
        parent: 1,
        from: 10,
        to: 20,
        kind: 'client',
        failed: true,
        attributes: { 'http.route': '/holds', n: 12 },
      }),
      statusMessage: 'sank',
    };
    const written = {
      resourceSpans: [
        {
          resource: { attributes: [{ key: 'service.name', value: { stringValue: 'holds' } }] },
          scopeSpans: [
            {
              scope: { name: 'test', version: '1' },
              spans: [
                {
                  traceId: span.traceId.toUpperCase(),
                  spanId: span.spanId,
                  parentSpanId: span.parentSpanId,
                  name: span.name,
                  kind: 3,
                  startTimeUnixNano: String(span.start),
                  endTimeUnixNano: String(span.end),
                  attributes: [
                    { key: 'http.route', value: { stringValue: '/holds' } },
                    { key: 'n', value: { intValue: '12' } },
                  ],
                  status: { code: 2, message: 'sank' },
                  somethingNew: { of: 'a later version' },
                },
              ],
            },
          ],
        },
      ],
    };
    expect(decodeTracesJson(JSON.stringify(written)).spans).toEqual(protobuf([span]).spans);
  });

  it('keeps all digits of a time written without quotes', () => {
    const text = body(good).replace('"1000"', '1777730520000000123').replace('"2000"', '1777730520000000987');
    expect(decodeTracesJson(text).spans[0]).toMatchObject({ start: 1_777_730_520_000_000_123n, end: 1_777_730_520_000_000_987n });
  });

  it('reads every type of value', () => {
    expect([
      value({ stringValue: '' }),
      value({ boolValue: false }),
      value({ intValue: '-7' }),
      value({ intValue: 7 }),
      value({ intValue: '9007199254740993' }),
      value({ doubleValue: 0.25 }),
      value({ doubleValue: 'NaN' }),
      value({ bytesValue: 'AQI=' }),
      value({ arrayValue: { values: [{ intValue: 1 }, {}] } }),
      value({ kvlistValue: { values: [{ key: 'a', value: { boolValue: true } }] } }),
      value({}),
    ]).toEqual(['', false, -7, 7, '9007199254740993', 0.25, 'NaN', 'AQI=', [1, null], { a: true }, null]);
  });

  it('keeps a key called __proto__ as a key', () => {
    const { attributes } = json({ ...good, attributes: [{ key: '__proto__', value: { stringValue: 'trap' } }] }).spans[0];
    expect(Object.entries(attributes)).toEqual([['__proto__', 'trap']]);
    expect(({} as { trap?: unknown }).trap).toBeUndefined();
  });

  it('makes text storable: no NUL, no half of a surrogate pair', () => {
    expect(value({ stringValue: 'a\0b\ud800' })).toBe('a\uFFFDb\uFFFD');
  });

  it('keeps the good spans among bad ones, and says why each bad one was refused', () => {
    const decoded = json(good, { ...good, spanId: 'b7' }, { ...good, spanId: 'b8' }, { ...good, endTimeUnixNano: '999' }, good);
    expect(decoded.spans).toHaveLength(2);
    expect(Object.fromEntries(decoded.refusals.byReason)).toEqual({
      'span id is not 8 bytes, or all zero': 2,
      'end time is before the start time': 1,
    });
  });

  it.each([
    ['trace id is not 16 bytes, or all zero', { ...good, traceId: '00'.repeat(16) }],
    ['trace id is not 16 bytes, or all zero', { ...good, traceId: 'zz'.repeat(16) }],
    ['parent span id is not 8 bytes', { ...good, parentSpanId: '1234' }],
    ['start time is missing', { ...good, startTimeUnixNano: undefined }],
    ['end time is missing', { ...good, endTimeUnixNano: '0' }],
    ['duration is over 104 days', { ...good, endTimeUnixNano: '9007199254742000' }],
    [
      'time is beyond the year 2262',
      { ...good, startTimeUnixNano: '18446744073709551000', endTimeUnixNano: '18446744073709551001' },
    ],
    ['startTimeUnixNano is not an integer', { ...good, startTimeUnixNano: '1e3' }],
    ['startTimeUnixNano is out of range', { ...good, startTimeUnixNano: '-5' }],
    ['name is not a text', { ...good, name: 5 }],
    ['kind is not an integer', { ...good, kind: 'SERVER' }],
    ['attributes is not a list', { ...good, attributes: { a: 1 } }],
    ['doubleValue is not a number', { ...good, attributes: [{ key: 'a', value: { doubleValue: 'much' } }] }],
    ['span is not an object', 'span'],
    ['links holds something that is not an object', { ...good, links: [null] }],
    ['span id of a link is not 8 bytes, or all zero', { ...good, links: [{ traceId: good.traceId, spanId: '1' }] }],
  ])('refuses a span: %s', (reason, span) => expect(refusalsOf(span)).toEqual({ [reason]: 1 }));

  it('refuses an attribute nested without end, in both encodings', () => {
    const levels = 100_000;
    const deep = `${'{"arrayValue":{"values":['.repeat(levels)}{"boolValue":true}${']}}'.repeat(levels)}`;
    const text = body(good, { ...good, attributes: [{ key: 'deep', value: 'HERE' }] }).replace('"HERE"', deep);
    expect(Object.fromEntries(decodeTracesJson(text).refusals.byReason)).toEqual({ 'attribute is nested deeper than 32': 1 });
    let list: unknown[] = [];
    for (let level = 0; level < 100; level++) list = [list];
    const span = { ...makeSpan({ id: 0, from: 0, to: 1 }), attributes: { deep: list as never } };
    expect(Object.fromEntries(protobuf([span, makeSpan({ id: 1, from: 0, to: 1 })]).refusals.byReason)).toEqual({
      'attribute is nested deeper than 32': 1,
    });
  });

  it.each([
    '',
    '{',
    '[]',
    '"resourceSpans"',
    'null',
    '{"resourceSpans":{}}',
    '{"resourceSpans":[5]}',
    '{"resourceSpans":[{"scopeSpans":[{"spans":{}}]}]}',
    '{"resourceSpans":[{"resource":{"attributes":5}}]}',
  ])('cannot read %s', (text) => expect(() => decodeTracesJson(text)).toThrow(MalformedRequest));

  it('takes an empty request for what it is', () => {
    expect(decodeTracesJson('{}').spans).toEqual([]);
    expect(decodeTracesProtobuf(Buffer.alloc(0)).spans).toEqual([]);
  });

  it('never fails otherwise than as a malformed request, whatever the JSON', () => {
    const letters = fc.constantFrom(
      'resourceSpans',
      'scopeSpans',
      'spans',
      'attributes',
      'key',
      'value',
      'events',
      'links',
      'status',
      'resource',
    );
    const anything = fc.letrec((tie) => ({
      it: fc.oneof(
        { maxDepth: 5, depthSize: 'small' },
        fc.string(),
        fc.integer(),
        fc.constant(null),
        fc.array(tie('it')),
        fc.dictionary(letters, tie('it')),
      ),
    })).it;
    fc.assert(
      fc.property(anything, fc.dictionary(letters, anything), (inSpan, around) => {
        for (const text of [JSON.stringify(around), body({ ...good, attributes: inSpan, events: inSpan }, inSpan)]) {
          try {
            decodeTracesJson(text);
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedRequest);
          }
        }
      }),
      { numRuns: 2000 },
    );
  });
});
