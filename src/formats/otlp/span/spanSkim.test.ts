import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeSpan } from '../../../../tests/support/made/traceMaker.ts';
import { isClientError, isServerRefusal } from '../../../core/failures/clientError.ts';
import { databaseSystem, peerName, protocolOf } from '../../../core/trace/peer.ts';
import type { Span } from '../../../core/trace/span.ts';
import { SPAN_KINDS } from '../../../core/trace/span.ts';
import { readResource, readScope } from '../attributes/attributes.ts';
import { readRequest } from '../wire/request.ts';
import { encodeTracesProtobuf } from './encodeProtobuf.ts';
import { outlineSpan } from './spanOutline.ts';
import { readSpan } from './spanRecord.ts';
import { skimSpan } from './spanSkim.ts';

const attributes = fc.record(
  {
    'peer.service': fc.constantFrom('fares', ''),
    'db.system.name': fc.constantFrom('postgresql', 'keyvalue'),
    'db.system': fc.constantFrom('postgresql'),
    'db.namespace': fc.constantFrom('sailing'),
    'server.address': fc.constantFrom('sailing-db', 'berths'),
    'messaging.system': fc.constantFrom('amqp'),
    'messaging.destination.name': fc.constantFrom('notice-queue'),
    'rpc.system': fc.constantFrom('grpc'),
    'rpc.grpc.status_code': fc.integer({ min: 0, max: 16 }),
    'http.request.method': fc.constantFrom('GET'),
    'http.response.status_code': fc.constantFrom(200, 401, 403, 404, 408, 429, 500, 503),
    'lantern.wait': fc.constantFrom('pool'),
    'ferry.vehicle_class': fc.constantFrom('coach'),
    'a key that is longer than a hundred and twenty-eight bytes, which takes another byte for its length in the record that it is written to':
      fc.string(),
  },
  { requiredKeys: [] },
);
const spans = fc
  .record({
    from: fc.nat({ max: 2 ** 40 }),
    lasts: fc.nat({ max: 2 ** 40 }),
    kind: fc.constantFrom(...SPAN_KINDS),
    name: fc.string({ maxLength: 200 }),
    parent: fc.option(fc.nat({ max: 9 }), { nil: undefined }),
    failed: fc.boolean(),
    attributes,
  })
  .map(({ from, lasts, ...it }) => makeSpan({ id: 77, from, to: from + lasts, ...it }));

/** What a reader makes of a span that was written. */
function through<T>(span: Span, read: typeof readSpan | ((...of: Parameters<typeof readSpan>) => T)) {
  const [{ records, resource, scope }] = readRequest(encodeTracesProtobuf([span])).groups;
  return read(records[0], readResource(resource), readScope(scope));
}

const headOf = ({ traceId, spanId, parentSpanId, name, kind, start, end, service }: Span) => ({
  traceId,
  spanId,
  parentSpanId,
  name,
  kind,
  start,
  end,
  service,
});

describe('a span that is skimmed', () => {
  it('has the head of the whole, and answers what is asked of peers and answers as the whole does', () => {
    fc.assert(
      fc.property(spans, (span) => {
        const whole = through(span, readSpan) as Span;
        const skimmed = through(span, skimSpan) as Span;
        expect(headOf(skimmed)).toEqual(headOf(whole));
        expect(skimmed.status === 'error').toBe(whole.status === 'error');
        for (const ask of [databaseSystem, peerName, protocolOf]) expect(ask(skimmed.attributes)).toBe(ask(whole.attributes));
        for (const ask of [isClientError, isServerRefusal]) expect(ask(skimmed)).toBe(ask(whole));
        expect(skimmed.attributes['lantern.wait']).toBe(whole.attributes['lantern.wait']);
      }),
    );
  });
});

describe('a span that is outlined', () => {
  it('is the whole, read when it is asked for', () => {
    fc.assert(
      fc.property(spans, (span) => {
        const whole = through(span, readSpan) as Span;
        const outlined = through(span, outlineSpan) as Span;
        expect(headOf(outlined)).toEqual(headOf(whole));
        expect(outlined.attributes).toEqual(whole.attributes);
        expect([outlined.status, outlined.statusMessage, outlined.events, outlined.links]).toEqual([
          whole.status,
          whole.statusMessage,
          whole.events,
          whole.links,
        ]);
      }),
    );
  });
});
