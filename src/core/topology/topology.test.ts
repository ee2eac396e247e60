import { describe, expect, it } from 'vitest';
import { madeSystem } from '../../../tests/support/made/madeSystem.ts';
import { makeSpan, makeSpans, type Sketch } from '../../../tests/support/made/traceMaker.ts';
import { addCall, noCalls, withoutCalls } from '../measures/callSum.ts';
import { countOf } from '../measures/sketch.ts';
import { assemble, type Trace } from '../trace/assemble.ts';
import { callersOf, neighbourhood } from './choose.ts';
import { collapse } from './collapse.ts';
import { compareGraphs } from './compareGraphs.ts';
import { graphOf } from './graph.ts';
import { dotText, mermaidText } from './graphText.ts';
import { layersOf } from './layers.ts';
import { failureOrigins, failureStart } from './origin/failureStart.ts';
import { slowMachine } from './origin/slowMachine.ts';
import { slownessOrigins } from './origin/slowness.ts';
import { addTimeWithin, type PartyTime } from './origin/timeWithin.ts';
import { requestMap } from './requestMap.ts';
import { trafficOf } from './traffic.ts';

const treeOf = (...sketches: readonly Sketch[]): Trace => assemble(makeSpans(...sketches))!;
const http = (address: string, code = 200) => ({
  'http.request.method': 'GET',
  'server.address': address,
  'http.response.status_code': code,
});
const statement = { 'db.system.name': 'postgresql', 'server.address': 'sailing-db' };

/** gangway asks holds, which asks berths, which asks its database; berths takes from 30 to `berthsEnd`. */
const request = (berthsEnd = 80, more: readonly Sketch[] = []): Sketch[] => [
  { id: 0, from: 0, to: berthsEnd + 20, service: 'gangway', kind: 'server', name: 'POST /holds' },
  { id: 1, parent: 0, from: 5, to: berthsEnd + 15, service: 'gangway', kind: 'client', attributes: http('holds') },
  { id: 2, parent: 1, from: 10, to: berthsEnd + 10, service: 'holds', kind: 'server' },
  { id: 3, parent: 2, from: 20, to: berthsEnd + 5, service: 'holds', kind: 'client', attributes: http('10.0.0.9') },
  { id: 4, parent: 3, from: 30, to: berthsEnd, service: 'berths', kind: 'server' },
  { id: 5, parent: 4, from: 40, to: 50, service: 'berths', kind: 'client', attributes: statement },
  ...more,
];

const edgesOf = (...traces: readonly Trace[]) =>
  graphOf(trafficOf(traces)).edges.map(({ from, to, caller, callee }) => `${from} > ${to} ${caller.calls}/${callee.calls}`);

describe('a map drawn from spans', () => {
  it('has services, what they call, and both sides of each call', () => {
    expect(edgesOf(treeOf(...request()))).toEqual([
      'gangway > holds 1/1',
      'holds > berths 1/1',
      'berths > database:sailing-db 1/0',
    ]);
  });

  it('of operations draws calls whose request got lost from their service, once for all of them', () => {
    const lost = (id: number, name: string) =>
      makeSpan({ id, parent: 99, from: 20, to: 30, service: 'holds', kind: 'client', name, attributes: http('10.0.0.9') });
    const [root] = makeSpans({ id: 0, from: 0, to: 100, service: 'gangway', kind: 'server', name: 'POST /holds' });
    const traffic = trafficOf(
      [treeOf(...request()), assemble([root, lost(7, 'POST /allocations'), lost(8, 'GET /deck')])!],
      true,
    );
    const { nodes, edges } = graphOf(traffic);
    const lostCalls = edges.filter(({ from }) => from === 'holds');
    expect(lostCalls.reduce((sum, { caller }) => sum + caller.calls, 0)).toBe(2);
    expect(nodes.find(({ id }) => id === 'holds')).toMatchObject({ name: 'holds', place: { service: 'holds' } });
    // Every other place that calls handles something.
    for (const { place, figures } of nodes) if (place?.operation !== undefined) expect(figures.calls).toBeGreaterThan(0);
    expect(nodes.map(({ name }) => name)).not.toContain('POST /allocations');
  });

  it('has queues with those that send and those that take', () => {
    const messaging = { 'messaging.system': 'pier', 'messaging.destination.name': 'notice-queue' };
    const sent = treeOf(...request(80, [{ id: 6, parent: 2, from: 15, to: 17, kind: 'producer', attributes: messaging }]));
    const taken = assemble([
      makeSpan({ id: 9, from: 300, to: 310, service: 'notices', kind: 'consumer', attributes: messaging }),
    ])!;
    expect(edgesOf(sent, taken).filter((it) => it.includes('queue'))).toEqual([
      'holds > queue:notice-queue 1/0',
      'queue:notice-queue > notices 1/0',
    ]);
  });

  it('has no callee in a server span that lost its parent and hangs under the root', () => {
    const lost = makeSpan({ id: 7, parent: 99, from: 20, to: 30, service: 'fares', kind: 'server' });
    const root = makeSpan({ id: 0, from: 0, to: 100, service: 'kiosk', kind: 'client', attributes: http('gangway') });
    expect(edgesOf(assemble([root, lost])!)).toEqual(['kiosk > gangway 1/0']);
  });

  it('counts a span that two services take as one call to each', () => {
    const twice = treeOf(...request(80, [{ id: 7, parent: 3, from: 31, to: 40, service: 'fares', kind: 'server' }]));
    const { edges } = graphOf(trafficOf([twice]));
    expect(edges.filter(({ from }) => from === 'holds').map(({ to, caller }) => [to, caller.calls])).toEqual([
      ['berths', 1],
      ['fares', 1],
    ]);
  });

  it('takes a call that nobody took as meant for who takes all else at that address', () => {
    const lost = treeOf(
      { id: 0, from: 0, to: 90, service: 'holds', kind: 'server' },
      { id: 1, parent: 0, from: 5, to: 85, service: 'holds', kind: 'client', attributes: http('10.0.0.9', 503), failed: true },
    );
    const traffic = trafficOf([treeOf(...request()), lost]);
    const known = graphOf(traffic, ({ peer }) => (peer === '10.0.0.9' ? 'berths' : undefined));
    const toBerths = known.edges.find(({ to }) => to === 'berths')!;
    expect([toBerths.caller.calls, toBerths.caller.failures, toBerths.callee.calls]).toEqual([2, 1, 1]);
    expect(graphOf(traffic).nodes.map(({ id }) => id)).toContain('10.0.0.9');
  });

  it('tells operations of a service apart when asked to', () => {
    const { nodes, edges } = graphOf(trafficOf([treeOf(...request())], true));
    // An operation that only calls is no node: its call is made by the one that handles the request.
    const services = nodes.filter(({ kind }) => kind === 'service').map(({ id }) => id);
    expect(services.sort()).toEqual(['berths\nwork 4', 'gangway\nPOST /holds', 'holds\nwork 2']);
    expect(edges[0]).toMatchObject({ from: 'gangway\nPOST /holds', to: 'holds\nwork 2' });
  });

  it('begins with the visitors whose requests these are', () => {
    const visit = { visitor: 'deck-app', durationNs: 200, failed: false, clientError: false };
    const graph = graphOf(trafficOf([treeOf(...request())], false, () => visit));
    expect(graph.nodes.find(({ id }) => id === 'deck-app')).toMatchObject({ kind: 'visitors' });
    expect(graph.edges.at(-1)).toMatchObject({ from: 'deck-app', to: 'gangway' });
  });
});

describe('two maps of the same system', () => {
  const sum = (calls: number) => {
    const all = noCalls();
    for (let at = 0; at < calls; at++) addCall(all, { durationNs: 1000, failed: false, clientError: false });
    return all;
  };
  const graph = (calls: number) => ({
    nodes: [{ id: 'fares', kind: 'service' as const, name: 'fares', figures: sum(calls) }],
    edges: [],
  });
  const other = { id: 'zz', kind: 'peer' as const, name: 'zz', figures: sum(50) };
  const andOther = (it: ReturnType<typeof graph>) => ({ ...it, nodes: [...it.nodes, other] });
  const turn = (lit: number, before: number, ratio = 1) =>
    compareGraphs(graph(lit), andOther(graph(before)), ratio).nodes[0].turn;

  it('call new what had no call before and would have had some, and gone what has none any more', () => {
    expect([turn(20, 0), turn(0, 20), turn(20, 20)]).toEqual(['new', 'gone', 'stays']);
    // Where nothing is known of before, nothing is new.
    expect(compareGraphs(graph(20), { nodes: [], edges: [] }, 1).nodes[0].turn).toBe('stays');
  });

  it('say nothing of what is too rare to be missed', () => {
    expect([turn(3, 0), turn(0, 3), turn(20, 0, 10)]).toEqual(['stays', 'stays', 'stays']);
  });

  it('are in one order, whatever came first', () => {
    const mixed = { nodes: ['b', 'a', 'c'].map((id) => ({ id, kind: 'peer' as const, name: id, figures: sum(1) })), edges: [] };
    expect(compareGraphs(mixed, { nodes: [], edges: [] }, 1).nodes.map(({ id }) => id)).toEqual(['a', 'b', 'c']);
  });
});

it('draws a group as one, without the calls inside it', () => {
  const graph = graphOf(trafficOf([treeOf(...request())]));
  const grouped = collapse(graph, ({ id }) => (id === 'holds' || id === 'berths' ? 'Booking' : undefined));
  expect(grouped.edges.map(({ from, to }) => `${from} > ${to}`)).toEqual([
    'gangway > group:Booking',
    'group:Booking > database:sailing-db',
  ]);
  expect(grouped.nodes.find(({ id }) => id === 'group:Booking')).toMatchObject({ members: ['holds', 'berths'] });
});

describe('part of a map', () => {
  const edges = [
    ['kiosk', 'gangway'],
    ['gangway', 'holds'],
    ['holds', 'berths'],
    ['berths', 'holds'],
    ['berths', 'sailing-db'],
  ].map(([from, to]) => ({ from, to }));

  it('reaches so many steps up and down, round circles too', () => {
    expect([...neighbourhood(edges, 'holds', { up: 1, down: 1 })].sort()).toEqual(['berths', 'gangway', 'holds']);
    expect([...neighbourhood(edges, 'holds', { up: 0, down: 9 })].sort()).toEqual(['berths', 'holds', 'sailing-db']);
  });

  it('knows all through whom a request may come', () => {
    expect([...callersOf(edges, 'sailing-db')].sort()).toEqual(['berths', 'gangway', 'holds', 'kiosk']);
  });
});

describe('where failures start', () => {
  const failing = (code: number, kind: 'partner' | 'callee') =>
    treeOf(
      { id: 0, from: 0, to: 100, service: 'gangway', kind: 'server', failed: true },
      { id: 1, parent: 0, from: 5, to: 95, service: 'gangway', kind: 'client', failed: true, attributes: http('fares', code) },
      ...(kind === 'callee' ? [{ id: 2, parent: 1, from: 10, to: 90, service: 'fares', kind: 'server' as const }] : []),
    );

  it('is the partner that answers 5xx, and the one that refuses a key it used to take', () => {
    expect([503, 429, 403].map((code) => failureStart(failing(code, 'partner'))?.node)).toEqual(['fares', 'fares', 'fares']);
  });

  it('is the caller whose request was wrong', () => {
    expect(failureStart(failing(404, 'partner'))).toMatchObject({ node: 'gangway', clientError: true });
  });

  it('is the service that turns a caller away, though it calls that no failure of its own', () => {
    expect(failureStart(failing(429, 'callee'))).toMatchObject({ node: 'fares', through: ['gangway'] });
    expect(failureStart(failing(404, 'callee'))).toMatchObject({ node: 'gangway' });
  });

  it('is where the last attempt failed, when others were made before', () => {
    const tried = treeOf(
      { id: 0, from: 0, to: 100, service: 'holds', kind: 'server', failed: true },
      { id: 1, parent: 0, from: 5, to: 20, service: 'holds', kind: 'client', failed: true, attributes: http('a.example', 503) },
      { id: 2, parent: 0, from: 30, to: 60, service: 'holds', kind: 'client', failed: true, attributes: http('b.example', 503) },
    );
    expect(failureStart(tried)?.node).toBe('b.example');
  });

  it('is nowhere when the request went well', () => {
    expect(failureStart(treeOf(...request()))).toBeUndefined();
  });

  it('takes no place that fails as much as before', () => {
    const starts = Array.from({ length: 20 }, () => failureStart(failing(503, 'partner'))!);
    const same = { requests: 1000, failing: 20, starts };
    expect(failureOrigins(same, same)[0]).toMatchObject({ node: 'fares', share: 1, starts: false });
    expect(failureOrigins(same, { requests: 1000, failing: 0, starts: [] })[0]).toMatchObject({ starts: true, amount: 20 });
  });
});

describe('where waiting starts', () => {
  it('is the part whose own time grew; who waits for it passes it on', () => {
    const [origin, ...others] = slownessOrigins([
      { litRequests: 10, lit: [treeOf(...request(480))], before: [treeOf(...request(80))] },
    ]);
    expect(origin).toMatchObject({ node: 'berths', share: 1, amount: 4000, starts: true });
    expect(new Set(origin.through)).toEqual(new Set(['holds', 'gangway']));
    expect(others).toEqual([]);
  });

  it('sums to the difference of the means times the requests', () => {
    const origins = slownessOrigins([
      { litRequests: 6, lit: [treeOf(...request(480)), treeOf(...request(280))], before: [treeOf(...request(80))] },
    ]);
    expect(origins.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(6 * (400 - 100), 6);
  });

  it('counts the pause before another attempt as waiting for the one that failed it', () => {
    const retried = (pause: number) =>
      treeOf(
        { id: 0, from: 0, to: 100 + pause, service: 'holds', kind: 'server', name: 'POST /holds' },
        {
          id: 1,
          parent: 0,
          from: 10,
          to: 20,
          service: 'holds',
          kind: 'client',
          name: 'GET /prices',
          failed: true,
          attributes: http('fares', 429),
        },
        { id: 2, parent: 1, from: 12, to: 18, service: 'fares', kind: 'server' },
        {
          id: 3,
          parent: 0,
          from: 20 + pause,
          to: 40 + pause,
          service: 'holds',
          kind: 'client',
          name: 'GET /prices',
          attributes: http('fares'),
        },
      );
    const [origin] = slownessOrigins([{ litRequests: 1, lit: [retried(500)], before: [retried(10)] }]);
    expect(origin).toMatchObject({ node: 'fares', amount: 490 });
  });

  it('names the one host that has all of it, and the machine that several places have in common', () => {
    const on = (host: string, end: number) =>
      treeOf(...request(end).map((it) => ({ ...it, ...(it.service === 'berths' ? { host } : {}) })));
    const slow = (requests: number) =>
      slownessOrigins([
        {
          litRequests: 2 * requests,
          lit: Array.from({ length: requests }, () => [on('vm-quay-3a', 480), on('vm-quay-1b', 80)]).flat(),
          before: [on('vm-quay-3a', 80), on('vm-quay-1b', 80)],
        },
      ])[0];
    const origin = slow(12);
    // A few that were slow may have come by one host by chance.
    expect(slow(3).only).toEqual([]);
    expect(origin.only).toContainEqual({ what: 'host', name: 'vm-quay-3a', share: 1 });
    const second = { ...origin, node: 'sailings', share: 0.3, only: [{ what: 'host' as const, name: 'vm-quay-3b', share: 1 }] };
    const machineOf = (host: string) => host.slice(3, 9);
    expect(slowMachine([{ ...origin, share: 0.6 }, second], machineOf)).toMatchObject({
      name: 'quay-3',
      nodes: ['berths', 'sailings'],
    });
    expect(slowMachine([{ ...origin, share: 0.6 }, second], (host) => host)).toBeUndefined();
    // One slow instance, and a caller beside it that waits a little for it.
    expect(
      slowMachine(
        [
          { ...origin, share: 0.95 },
          { ...second, share: 0.02 },
        ],
        machineOf,
      ),
    ).toBeUndefined();
    // Four that have all of theirs there are no chance, though one has nearly all.
    const few = ['fares', 'crew', 'notices'].map((node, at) => ({ ...second, node, party: node, share: 0.02 + 0.01 * at }));
    expect(slowMachine([{ ...origin, share: 0.85 }, ...few], machineOf)?.nodes).toEqual(['berths', 'fares', 'crew', 'notices']);
    expect(slowMachine([{ ...origin, share: 0.85 }, ...few.slice(1)], machineOf)).toBeUndefined();
  });
});

it('adds up where the time of a service goes: its own, its database, and whom it waits for', () => {
  const sums = new Map<string, PartyTime>();
  addTimeWithin(sums, treeOf(...request()));
  const lines = (service: string) =>
    [...sums.get(service)!.lines.values()].map(({ kind, party, ns }) => `${kind} ${party} ${ns}`).sort();
  expect(lines('berths')).toEqual(['db sailing-db 10', 'own berths 40']);
  expect(lines('holds')).toEqual(['below berths 50', 'gap holds 15', 'own holds 15']);
  for (const { ns, lines: parts } of sums.values()) expect([...parts.values()].reduce((sum, it) => sum + it.ns, 0)).toBe(ns);
});

it('says of one request what it touched, in which order, how often, and where its time went', () => {
  const again: Sketch = { id: 6, parent: 4, from: 55, to: 60, service: 'berths', kind: 'client', attributes: statement };
  const { nodes, edges } = requestMap(treeOf(...request(80, [again])), (peer) => (peer === '10.0.0.9' ? 'berths' : undefined));
  expect(edges.map(({ from, to, calls, order }) => `${order} ${from} > ${to} ${calls}`)).toEqual([
    '1 gangway > holds 1',
    '2 holds > berths 1',
    '3 berths > database:sailing-db 2',
  ]);
  expect(nodes.reduce((sum, { share }) => sum + share, 0)).toBeCloseTo(1, 12);
  expect(nodes.find(({ id }) => id === 'database:sailing-db')?.share).toBeCloseTo(0.15, 12);
});

describe('a graph as text', () => {
  const graph = {
    nodes: [
      { id: 'say "hi"', name: 'say "hi"', kind: 'service', label: '2/s' },
      { id: 'database:d', name: 'd', kind: 'database', label: '1/s' },
    ],
    edges: [{ from: 'say "hi"', to: 'database:d', label: '1/s' }],
  };

  it('is DOT with every mark escaped', () => {
    expect(dotText(graph)).toContain('"say \\"hi\\"" -> "database:d" [label="1/s"];');
    expect(dotText(graph)).toContain('shape=cylinder');
  });

  it('is Mermaid with ids of its own', () => {
    expect(mermaidText(graph).split('\n')).toEqual([
      'flowchart LR',
      '  n1["say #34;hi#34;: 2/s"]',
      '  n2[("d: 1/s")]',
      '  n1 -->|"1/s"| n2',
      '',
    ]);
  });
});

it('takes a part out of a sum of calls exactly, bucket by bucket', () => {
  const [all, part, rest] = [noCalls(), noCalls(), noCalls()];
  for (let at = 0; at < 50; at++) {
    const one = { durationNs: at * at * 1000, failed: at % 7 === 0, clientError: at % 14 === 0 };
    addCall(all, one);
    addCall(at % 3 === 0 ? part : rest, one);
  }
  expect(withoutCalls(all, part)).toEqual(rest);
  expect(countOf(withoutCalls(all, part).sketch)).toBe(rest.calls);
});

describe('the layers of a graph', () => {
  const layered = (...pairs: readonly [string, string][]) => {
    const ids = [...new Set(pairs.flat())].sort();
    return Object.fromEntries(
      layersOf(
        ids,
        pairs.map(([from, to]) => ({ from, to })),
      ),
    );
  };

  it('are one more than the last caller’s', () => {
    expect(layered(['a', 'b'], ['b', 'c'], ['a', 'c'], ['c', 'd'])).toEqual({ a: 0, b: 1, c: 2, d: 3 });
  });

  it('do without the call that closes a circle', () => {
    expect(layered(['a', 'b'], ['b', 'c'], ['c', 'b'], ['c', 'c'])).toEqual({ a: 0, b: 1, c: 2 });
  });

  it('put every callee behind its caller, whatever is called, but for circles', () => {
    const { before } = madeSystem(99, 20);
    const graph = graphOf(trafficOf(before.map((spans) => assemble(spans)!)));
    const layers = layersOf(graph.nodes.map(({ id }) => id).sort(), graph.edges);
    const turned = graph.edges.filter(({ from, to }) => layers.get(to)! <= layers.get(from)!);
    expect(turned.length).toBeLessThanOrEqual(1);
  });
});
