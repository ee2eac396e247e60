import { randomLcg } from 'd3-random';
import type { Span } from '../../../src/core/trace/span.ts';
import { EPOCH, makeSpan } from './traceMaker.ts';

/** A trace for each kind of call: a request at one service, which calls another. */
export function manyCalls(services: number, calls: number, start: bigint): Span[] {
  const chance = randomLcg(9);
  const pairs = new Set<string>();
  for (let to = 1; to < services; to++) pairs.add(`${Math.floor(chance() * Math.min(to, 40 + to / 2))} ${to}`);
  while (pairs.size < calls) {
    const [a, b] = [Math.floor(chance() * services), Math.floor(chance() * services)];
    if (a !== b) pairs.add(a < b || chance() < 0.02 ? `${a} ${b}` : `${b} ${a}`);
  }
  return [...pairs].flatMap((pair, number) => {
    const [from, to] = pair.split(' ').map((it) => `service-${it.padStart(3, '0')}`);
    const traceId = (BigInt(services) * 1_000_000n + BigInt(number)).toString(16).padStart(32, '0') as Span['traceId'];
    const shift = start - EPOCH + BigInt(number) * 100_000_000n;
    return [
      makeSpan({ id: 0, from: 0, to: 90_000_000, service: from, kind: 'server', name: 'handle' }),
      makeSpan({
        id: 1,
        parent: 0,
        from: 10_000_000,
        to: 80_000_000,
        service: from,
        kind: 'client',
        attributes: { 'server.address': to },
      }),
      makeSpan({ id: 2, parent: 1, from: 20_000_000, to: 70_000_000, service: to, kind: 'server', name: 'handle' }),
    ].map((span) => ({ ...span, traceId, start: span.start + shift, end: span.end + shift }));
  });
}
