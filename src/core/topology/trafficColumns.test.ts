import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { makeSpans, type Sketch } from '../../../tests/support/made/traceMaker.ts';
import type { CallSum } from '../measures/callSum.ts';
import { assemble, type Trace } from '../trace/assemble.ts';
import type { Attributes } from '../trace/span.ts';
import { graphOf } from './graph.ts';
import { type Traffic, TrafficSums, trafficOf, trafficRequest } from './traffic.ts';
import { TrafficTotal, writeTraffic } from './trafficColumns.ts';

const { below, oneOf } = randomFrom(20_261_202);
const SERVICES = ['gangway', 'holds', 'berths', 'fares\nof old', ''] as const;

/** A trace of calls of every kind, some taken twice, some by nobody. */
function anyTrace(): Trace {
  const spans: Sketch[] = [{ id: 0, from: 0, to: 100 + below(900), service: oneOf(SERVICES), kind: 'server', name: 'enter' }];
  for (let id = 1; id < 2 + below(12); id++) {
    const kind = oneOf(['server', 'client', 'client', 'producer', 'consumer', 'internal'] as const);
    const attributes: Attributes = oneOf<Attributes>([
      { 'http.request.method': 'GET', 'server.address': oneOf(SERVICES), 'http.response.status_code': oneOf([200, 404, 503]) },
      { 'db.system.name': 'postgresql', 'server.address': 'sailing-db' },
      { 'messaging.system': 'pier', 'messaging.destination.name': 'notice-queue' },
    ]);
    const from = below(50);
    const failed = below(4) === 0;
    const name = `${oneOf(['place', 'find'])} ${below(3)}`;
    spans.push({ id, parent: below(id), from, to: from + below(40), service: oneOf(SERVICES), kind, name, failed, attributes });
  }
  return assemble(makeSpans(...spans))!;
}

const sumText = ({ sketch, ...sum }: CallSum) =>
  JSON.stringify([sum, sketch.zero, [...sketch.buckets].sort(([a], [b]) => a - b)]);

/** All of it, in one order; of places those that handle or call. */
function textOf({ places, handled, calls, visits }: Traffic): unknown {
  const used = new Set([...handled.keys(), ...calls.flatMap(({ from, takers }) => [from, ...takers.keys()])]);
  return {
    places: [...places].filter(([key]) => used.has(key)).sort(([a], [b]) => (a < b ? -1 : 1)),
    handled: [...handled].map(([key, sum]) => `${key} ${sumText(sum)}`).sort(),
    calls: calls
      .map(({ all, takers, ...address }) => {
        const sides = [...takers].map(([taker, it]) => [taker, sumText(it.caller), sumText(it.again), sumText(it.callee)]);
        return JSON.stringify([address, sumText(all), sides.sort()]);
      })
      .sort(),
    visits,
  };
}

describe('traffic as columns', () => {
  it.each([true, false])('adds up to what all requests together come to (by operation: %s)', (byOperation) => {
    for (let times = 0; times < 30; times++) {
      const hours = Array.from({ length: 1 + below(4) }, () => Array.from({ length: below(8) }, anyTrace));
      const total = new TrafficTotal();
      for (const [at, traces] of hours.entries()) {
        const traffic = trafficOf(traces, byOperation);
        if (at % 2 === 0) total.addSegment(writeTraffic(traffic, traces.length));
        else total.add(traffic, traces.length);
      }
      const all = hours.flat();
      expect(total.requests).toBe(all.length);
      expect(textOf(total.traffic())).toEqual(textOf(trafficOf(all, byOperation)));
      expect(graphOf(total.traffic()).edges.length).toBe(graphOf(trafficOf(all, byOperation)).edges.length);
    }
  });

  it('knows how large it becomes while it is added up', () => {
    const sums = new TrafficSums(true);
    for (let times = 0; times < 20; times++) sums.add(trafficRequest(anyTrace()));
    const { handled, calls } = sums.traffic();
    expect(calls.length).toBeGreaterThan(5);
    expect(sums.size).toBe(handled.size + calls.length);
  });

  it('changes nothing of what is added', () => {
    const traffic = trafficOf([anyTrace(), anyTrace()], true);
    const before = JSON.stringify(textOf(traffic));
    const total = new TrafficTotal();
    total.add(traffic, 2);
    total.add(traffic, 2);
    expect(JSON.stringify(textOf(traffic))).toBe(before);
  });
});
