import fc from 'fast-check';
import { expect, it } from 'vitest';
import { randomTrace } from '../../../../tests/support/made/randomTrace.ts';
import { makeSpan } from '../../../../tests/support/made/traceMaker.ts';
import type { Span } from '../../../core/trace/span.ts';
import { readRequest } from '../wire/request.ts';
import { encodeTracesProtobuf } from './encodeProtobuf.ts';
import { outlineSpan } from './spanOutline.ts';

const outlineOf = (span: Span) =>
  outlineSpan(readRequest(encodeTracesProtobuf([span])).groups[0].records[0], span.resource, span.scope);

it('says of a span what the whole of it says', () => {
  fc.assert(
    fc.property(randomTrace, (spans) => {
      for (const span of spans) {
        const it = outlineOf(span);
        const { spanId, parentSpanId, name, start, kind, service, resource, attributes } = span;
        expect([it.spanId, it.parentSpanId, it.name, it.start, it.kind, it.service, it.resource]).toEqual([
          spanId,
          parentSpanId,
          name,
          start,
          kind,
          service,
          resource,
        ]);
        expect([it.durationNs, it.failed]).toEqual([Number(span.end - span.start), span.status === 'error']);
        expect(it.attributes).toEqual(attributes);
        expect([it.traceId, it.end, it.status, it.events, it.links, it.statusMessage, it.traceState, it.scope]).toEqual([
          span.traceId,
          span.end,
          span.status,
          span.events,
          span.links,
          span.statusMessage,
          span.traceState,
          span.scope,
        ]);
      }
    }),
    { numRuns: 100 },
  );
});

it('reads long names and states too', () => {
  const long = { ...makeSpan({ id: 3, from: 0, to: 7, failed: true }), name: 'n'.repeat(300), statusMessage: 'm'.repeat(400) };
  const it = outlineOf(long);
  expect([it.name, it.failed, it.durationNs]).toEqual([long.name, true, 7]);
});
