import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import type { CallSum } from '../measures/callSum.ts';
import { assemble, type Trace } from '../trace/assemble.ts';
import type { Span, SpanKind } from '../trace/span.ts';
import { callsOverTime, serviceFigures, visitorOverTime } from './nodeFigures.ts';

const MINUTE = 60_000_000_000;
const KINDS: readonly SpanKind[] = ['internal', 'server', 'client', 'producer', 'consumer'];

/** Traces of a root and spans right below it, of two services with two instances each. */
const someSpans = fc.array(
  fc.record({
    at: fc.nat({ max: 30 * MINUTE }),
    lasts: fc.nat({ max: 5_000_000 }),
    service: fc.constantFrom('holds', 'berths'),
    instance: fc.constantFrom('a', 'b'),
    kind: fc.constantFrom(...KINDS),
    name: fc.constantFrom('place', 'solve'),
    failed: fc.boolean(),
    database: fc.boolean(),
  }),
  { minLength: 1, maxLength: 12 },
);

function traceOf(drawn: typeof someSpans extends fc.Arbitrary<infer T> ? T : never): { spans: Span[]; trace: Trace } {
  const spans = drawn.map(({ at, lasts, instance, database, ...it }, id) => {
    const span = makeSpan({
      id,
      parent: id === 0 ? undefined : 0,
      from: at,
      to: at + lasts,
      ...it,
      attributes: { 'server.address': 'sailing-db', ...(database ? { 'db.system.name': 'postgresql' } : {}) },
    });
    return { ...span, resource: { ...span.resource, 'service.instance.id': instance } };
  });
  return { spans, trace: assemble(spans)! };
}

const calls = (sums: Iterable<CallSum>) => [...sums].reduce((sum, it) => sum + it.calls, 0);

describe('what a service did in some traces', () => {
  it('is every span of it by operation, and what it handled by instance and over time', () => {
    fc.assert(
      fc.property(someSpans, fc.integer({ min: 1, max: 7 }), (drawn, step) => {
        const { spans, trace } = traceOf(drawn);
        for (const service of ['holds', 'berths']) {
          const own = spans.filter((span) => span.service === service);
          const handled = own.filter((span) => span.kind === 'server' || span.kind === 'consumer' || span.parentSpanId === null);
          const { operations, instances, overTime } = serviceFigures([trace], service, step);
          for (const { name, kind, sum } of operations) {
            const same = own.filter((span) => span.name === name && span.kind === kind);
            expect([sum.calls, sum.failures]).toEqual([same.length, same.filter(({ status }) => status === 'error').length]);
          }
          expect(calls(operations.map((it) => it.sum))).toBe(own.length);
          for (const { of, sum } of instances)
            expect(sum.calls).toBe(handled.filter((span) => span.resource['service.instance.id'] === of.instance).length);
          expect(calls(instances.map((it) => it.sum))).toBe(handled.length);
          for (const [stretch, sum] of overTime) {
            const within = handled.filter((span) => {
              const minute = Number(span.start / BigInt(MINUTE));
              return minute >= stretch * step && minute < (stretch + 1) * step;
            });
            expect(sum.calls).toBe(within.length);
            expect(sum.okNs + sum.failedNs).toBe(within.reduce((all, span) => all + Number(span.end - span.start), 0));
          }
          expect(calls(overTime.values())).toBe(handled.length);
        }
      }),
    );
  });

  it('is nothing of a service that took no part', () => {
    const { trace } = traceOf([
      { at: 0, lasts: 1, service: 'holds', instance: 'a', kind: 'server', name: 'place', failed: false, database: false },
    ]);
    expect(serviceFigures([trace], 'fares', 1)).toEqual({ overTime: new Map(), instances: [], operations: [] });
  });
});

describe('calls to what does not report itself', () => {
  it('are those that name it, of its kind', () => {
    fc.assert(
      fc.property(someSpans, (drawn) => {
        const { spans, trace } = traceOf(drawn);
        const isCall = (span: Span) => span.kind === 'client';
        const toDatabase = spans.filter((span) => isCall(span) && span.attributes['db.system.name'] !== undefined);
        const toPeer = spans.filter((span) => isCall(span) && span.attributes['db.system.name'] === undefined);
        const queued = spans.filter((span) => span.kind === 'producer');
        expect(calls(callsOverTime([trace], 'database:sailing-db', 1).values())).toBe(toDatabase.length);
        expect(calls(callsOverTime([trace], 'sailing-db', 1).values())).toBe(toPeer.length);
        expect(calls(callsOverTime([trace], 'queue:sailing-db', 1).values())).toBe(queued.length);
      }),
    );
  });
});

describe('what visitors asked for', () => {
  it('is as they measured it, when their trace began', () => {
    const { trace } = traceOf([
      {
        at: 125 * 60_000_000_000,
        lasts: 9,
        service: 'holds',
        instance: 'a',
        kind: 'server',
        name: 'place',
        failed: true,
        database: false,
      },
    ]);
    const visit = { visitor: 'deck-app', durationNs: 7e9, failed: true, clientError: false };
    const [[stretch, sum], ...others] = visitorOverTime([trace], () => visit, 'deck-app', 5);
    expect(others).toEqual([]);
    expect(stretch).toBe(Math.floor(Number(trace.start / BigInt(MINUTE)) / 5));
    expect(sum).toMatchObject({ calls: 1, failures: 1, failedNs: 7e9 });
    expect(visitorOverTime([trace], () => visit, 'quayside-web', 5)).toEqual(new Map());
    expect(visitorOverTime([trace], () => undefined, 'deck-app', 5)).toEqual(new Map());
  });
});
