import type { Span, SpanId, TraceId } from '../src/core/trace/span.ts';

const TRACE_ID = 'f'.repeat(32) as TraceId;
const SCOPE = { name: 'bench', version: '1' };
const EPOCH = BigInt(Date.now() - 600_000) * 1_000_000n;

/** Traces of the shapes that are hard: all under one span, one under the other, and a tree with a hundred children a span. */
export const SHAPES: Record<string, (id: number, count: number) => { parent: number; from: number; to: number }> = {
  wide: (id, count) => ({ parent: 0, from: id * 1000, to: count * 1000 - ((id * 7919) % count) }),
  deep: (id, count) => ({ parent: id - 1, from: id * 1000, to: count * 3000 - id * 1000 }),
  tree: (id, count) => ({ parent: Math.floor((id - 1) / 100), from: id * 1000, to: count * 1000 - ((id * 31) % 1000) }),
};

export function largeTrace(shape: string, count: number): Span[] {
  const resources = Array.from({ length: 8 }, (_, at) => ({ 'service.name': `part-${at}`, 'host.name': `quay-${at % 4}` }));
  return Array.from({ length: count }, (_, id) => {
    const { parent, from, to } = id === 0 ? { parent: -1, from: 0, to: count * 3000 } : SHAPES[shape](id, count);
    const resource = resources[id % resources.length];
    return {
      traceId: TRACE_ID,
      spanId: idOf(id),
      parentSpanId: parent < 0 ? null : idOf(parent),
      traceState: '',
      name: `step ${id % 50}`,
      service: resource['service.name'],
      kind: id % 3 === 0 ? 'client' : 'internal',
      start: EPOCH + BigInt(from),
      end: EPOCH + BigInt(Math.max(from, to)),
      status: 'unset',
      statusMessage: '',
      attributes: { 'http.route': '/holds/{id}', 'ferry.party_size': id % 6, 'booking.ref': `OR${id}` },
      resource,
      scope: SCOPE,
      events: [],
      links: [],
    };
  });
}

function idOf(id: number): SpanId {
  return (id + 1).toString(16).padStart(16, '0') as SpanId;
}
