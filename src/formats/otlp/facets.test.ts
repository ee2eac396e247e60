import { describe, expect, it } from 'vitest';
import type { Attributes, Span, SpanId, TraceId } from '../../core/trace/span.ts';
import { encodeTracesProtobuf } from './encodeProtobuf.ts';
import { eachAttribute, facetsOf, facetText, isFacetKey, keyWithin, readAttribute } from './facets.ts';
import { readRequest } from './request.ts';

/** The record of a span with these attributes, as it lies in a request. */
function record(attributes: Attributes): Buffer {
  const span: Span = {
    traceId: '0123456789abcdef0123456789abcdef' as TraceId,
    spanId: '0123456789abcdef' as SpanId,
    parentSpanId: null,
    traceState: '',
    name: 'POST /holds',
    service: 'holds',
    kind: 'server',
    start: 1_777_730_520_000_000_000n,
    end: 1_777_730_521_000_000_000n,
    status: 'ok',
    statusMessage: '',
    attributes,
    resource: { 'service.name': 'holds' },
    scope: { name: '', version: '' },
    events: [],
    links: [],
  };
  return Buffer.from(readRequest(Buffer.from(encodeTracesProtobuf([span]))).groups[0].records[0]);
}

describe('the attributes of a span record', () => {
  const attributes = {
    'ferry.route': 'tern-marram',
    'ferry.party_size': 4,
    'cache.hit': true,
    ratio: 0.25,
    long: 'x'.repeat(300),
    list: ['a', 'b'],
    'url.path': '/holds/OR53F6D4',
  };

  it('are found by their bytes, short and long, and read one by one', () => {
    const bytes = record(attributes);
    const found: Record<string, unknown> = {};
    const keys: string[] = [];
    const visit = (_: Buffer, start: number, end: number) => {
      Object.assign(found, readAttribute(bytes.subarray(start, end)));
      keys.push(keyWithin(bytes.toString('latin1', start, end)));
    };
    eachAttribute(bytes, { visit });
    expect(found).toEqual(attributes);
    expect(keys).toEqual(Object.keys(attributes));
  });

  it('are facets when they are short and tell kinds of requests apart', () => {
    expect(facetsOf(attributes)).toEqual([
      { key: 'ferry.route', value: 'tern-marram' },
      { key: 'ferry.party_size', value: '4' },
      { key: 'cache.hit', value: 'true' },
      { key: 'ratio', value: '0.25' },
    ]);
    expect(['session.id', 'db.query.text', 'thread.id', 'code.function', 'exception.message'].filter(isFacetKey)).toEqual([]);
    expect(facetText(null)).toBeUndefined();
    expect(facetText('y'.repeat(121))).toBeUndefined();
  });

  it('have no key to tell by when it does not stand first', () => {
    expect(keyWithin('')).toBe('');
    expect(keyWithin('\x12\x03abc')).toBe('');
  });
});
