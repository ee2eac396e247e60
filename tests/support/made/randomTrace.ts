import fc from 'fast-check';
import { type Attributes, SPAN_KINDS, type Span } from '../../../src/core/trace/span.ts';
import { makeSpan } from './traceMaker.ts';

const SERVICES = ['gangway', 'holds', 'berths', 'manifests'];
const HOSTS = ['quay-1', 'quay-2', undefined];
const ATTRIBUTES: Attributes[] = [
  {},
  {},
  { 'lantern.wait': 'pool' },
  { 'db.system.name': 'postgresql', 'server.address': 'sailing-db' },
  { 'db.system': 'postgresql', 'db.namespace': 'manifest' },
  { 'server.address': 'met-relay.example', 'http.response.status_code': 403 },
  { 'peer.service': 'post-hub', 'http.response.status_code': 503 },
  { 'messaging.destination.name': 'notice-queue' },
];

/** A length of time; often one of few, so that spans touch, nest and tie. */
const length = fc.oneof(
  fc.constantFrom(0, 1, 50, 100, 1000),
  fc.integer({ min: 0, max: 3_000_000 }),
  fc.integer({ min: 0, max: 500_000_000 }),
);

const sketch = (id: number) =>
  fc.record({
    // Mostly a span that is there; at times none, itself, a later one (which can close a circle) or one that never came.
    parent: fc.oneof(
      { weight: 12, arbitrary: fc.integer({ min: 0, max: Math.max(0, id - 1) }) },
      { weight: 1, arbitrary: fc.integer({ min: 0, max: 30 }) },
      { weight: 1, arbitrary: fc.constant(undefined) },
    ),
    from: length,
    lasts: length,
    service: fc.constantFrom(...SERVICES),
    kind: fc.constantFrom(...SPAN_KINDS),
    host: fc.constantFrom(...HOSTS),
    failed: fc.boolean(),
    attributes: fc.constantFrom(...ATTRIBUTES),
  });

/** Traces of up to 30 spans of every shape, whole and broken. */
export const randomTrace: fc.Arbitrary<Span[]> = fc
  .integer({ min: 1, max: 30 })
  .chain((count) => fc.tuple(...Array.from({ length: count }, (_, id) => sketch(id))))
  .map((sketches) =>
    sketches.map(({ parent, from, lasts, ...rest }, id) =>
      makeSpan({ id, parent: id === 0 && parent === 0 ? undefined : parent, from, to: from + lasts, ...rest }),
    ),
  );
