import { describe, expect, it } from 'vitest';
import type { MapAnswer, MapEdge, MapNode } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import { betweenNs } from '../../ui/topology/between.ts';
import { timeParts } from '../../ui/topology/stripes.ts';
import type { CallLine } from './drawing/CallEdge.tsx';
import { isLarge, nearCalls, nearPlates, type View } from './drawing/near.ts';
import type { PlateNode } from './drawing/Plate.tsx';
import { firstNode, stepFrom } from './drawing/walk.ts';
import { readMapOptions, USUAL_OPTIONS, writeMapOptions } from './options.ts';
import { rolesOf } from './roles.ts';
import { shownOf } from './shown.ts';
import { middle, wayPath } from './ways.ts';
import { mapHeadline, plateWords } from './words.ts';

const sum = (calls: number, failures = 0, p95Ns: number | null = 5e6) => ({
  calls,
  failures,
  clientErrors: 0,
  meanNs: 1e6,
  totalNs: calls * 1e6,
  p50Ns: 1e6,
  p95Ns,
});
const node = (id: string, more: Partial<MapNode> = {}): MapNode => ({
  id,
  kind: 'service',
  name: id,
  service: id,
  operation: null,
  namespace: null,
  members: [],
  lit: sum(100),
  before: sum(100),
  state: 'calm',
  changed: null,
  turn: 'stays',
  ...more,
});
const edge = (from: string, to: string, calls = 100, more: Partial<MapEdge> = {}): MapEdge => ({
  from,
  to,
  protocol: 'http',
  lit: sum(calls),
  before: sum(calls),
  litCallee: sum(calls),
  beforeCallee: sum(calls),
  state: 'calm',
  turn: 'stays',
  ...more,
});
const side = { from: '2026-05-02T14:00:00Z', to: '2026-05-02T14:10:00Z', requests: 100, read: 100 };
const map: MapAnswer = {
  lit: side,
  before: side,
  nodes: ['gangway', 'holds', 'berths', 'fares'].map((id) => node(id)),
  edges: [edge('gangway', 'holds'), edge('holds', 'berths', 60, { lit: sum(60, 6) }), edge('holds', 'fares', 2)],
  namespaces: [],
};
const origin = (party: string, through: string[], share = 0.9) => ({
  shareRange: [share, share] as [number, number],
  node: party,
  party,
  share,
  amount: 10,
  starts: share >= 0.2,
  traces: ['ab'],
  through,
});
const starts = (failures: string[], slowness: string[], machine: Starts['slowness']['machine'] = null): Starts => ({
  failures: {
    requests: 100,
    failing: 10,
    origins: failures.map((it) => ({ ...origin(it, ['holds', 'gangway']), what: 'answers 503' })),
  },
  slowness: {
    entries: [],
    extraNs: 1e9,
    requests: 10,
    machine,
    origins: slowness.map((it) => ({ ...origin(it, ['holds', 'gangway']), kinds: [], moreCalls: [], misses: [], only: [] })),
  },
  time: [],
});

describe('what the map says in a sentence', () => {
  it('names where trouble starts, slowness and failures apart', () => {
    expect(mapHeadline(map, starts([], ['berths']))).toBe('Slowness starts in berths');
    expect(mapHeadline(map, starts(['met-relay.example'], ['berths']))).toBe(
      'Slowness starts in berths; failures start at met-relay.example',
    );
    expect(mapHeadline(map, starts(['fares'], ['fares']))).toBe('Slowness and failures start in fares');
  });

  it('names the machine that places have in common, and says when all is well', () => {
    const machine = { name: 'quay-3', share: 0.9, nodes: ['accounts', 'sailings', 'berths'] };
    expect(mapHeadline(map, starts([], ['accounts', 'sailings', 'berths'], machine))).toBe(
      'Slowness starts on quay-3, in accounts, sailings and 1 more',
    );
    expect(mapHeadline(map, starts([], []))).toBe('4 services, and no trouble starts in any');
    expect(mapHeadline({ ...map, nodes: [] }, undefined)).toBe('Nothing was called');
  });

  it('writes a plate’s figures short, failures before time', () => {
    expect(plateWords(sum(100), 9.21)).toBe('9.2/s · p95 5.0 ms');
    expect(plateWords(sum(100, 4), 58)).toBe('58/s · 4.0 % fail');
    expect(plateWords(sum(0), 0)).toBe('no calls');
  });
});

describe('the part of each plate', () => {
  it('is to start trouble or to pass it on; failures are told before slowness', () => {
    const { ofNode, ofEdge } = rolesOf(starts(['berths'], ['fares']), map);
    expect(['berths', 'fares', 'holds', 'gangway', 'accounts'].map(ofNode)).toEqual([
      'starts-failures',
      'starts-slowness',
      'passes-failures',
      'passes-failures',
      'none',
    ]);
    expect(map.edges.map(ofEdge)).toEqual(['slowness', 'failures', 'slowness']);
  });

  it('is that of its services for a team, and of an operation only where that one is worse', () => {
    const group = node('group:Harbour', { kind: 'group', service: null, members: ['berths'] });
    const calm = node('gangway\nGET /a', { service: 'gangway', operation: 'GET /a' });
    const slow = node('gangway\nPOST /b', { service: 'gangway', operation: 'POST /b', state: 'strained' });
    const { ofNode } = rolesOf(starts([], ['berths']), { nodes: [group, calm, slow] });
    expect([group, calm, slow].map(({ id }) => ofNode(id))).toEqual(['starts-slowness', 'none', 'passes-slowness']);
  });
});

describe('the options', () => {
  it('come back from an address as they were written', () => {
    const chosen = {
      ...USUAL_OPTIONS,
      of: 'slow' as const,
      around: 'database:sailing-db',
      up: 1,
      least: 0.01,
      changed: true,
      open: ['Booking', 'Harbour'],
    };
    expect(readMapOptions(new URLSearchParams(writeMapOptions(chosen)))).toEqual(chosen);
    expect(writeMapOptions(USUAL_OPTIONS)).toEqual({});
  });

  it('are as usual where an address makes no sense', () => {
    expect(readMapOptions(new URLSearchParams('level=x&up=-1&down=1.5&least=0.3&trace=zz&as=1'))).toEqual(USUAL_OPTIONS);
  });

  it('leave out calls whose operation is not known, where they are rare, and say how many', () => {
    const operation = (service: string, name: string) => node(`${service} ${name}`, { service, name, operation: name });
    const unknown = node('holds', { lit: sum(0), before: sum(0) });
    const nodes = [
      operation('gangway', 'POST /holds'),
      operation('holds', 'POST /holds'),
      unknown,
      operation('fares', 'POST /prices'),
    ];
    const of = (lost: number) => {
      const calls = [
        edge('gangway POST /holds', 'holds POST /holds', 900),
        edge('holds POST /holds', 'fares POST /prices', 1_000),
      ];
      return { nodes, edges: [...calls, edge('holds', 'fares POST /prices', lost)] };
    };
    const few = shownOf(of(5), USUAL_OPTIONS);
    expect(few.nodes.map(({ id }) => id)).not.toContain('holds');
    expect([few.edges.length, few.unknownCalls]).toEqual([2, 5]);
    const many = shownOf(of(40), USUAL_OPTIONS);
    expect(many.nodes.map(({ id }) => id)).toContain('holds');
    expect([many.edges.length, many.unknownCalls]).toEqual([3, 0]);
    // Who asks for what is around it sees it.
    expect(shownOf(of(5), { ...USUAL_OPTIONS, around: 'holds' }).edges).toHaveLength(1);
    // A map of services has no operation that could be unknown.
    const quiet = { nodes: [node('kiosk', { lit: sum(0), before: sum(0) }), node('holds')], edges: [edge('kiosk', 'holds', 1)] };
    expect(shownOf(quiet, USUAL_OPTIONS).nodes).toHaveLength(2);
  });

  it('leave out what is far, rare or unchanged', () => {
    const ids = (more: object) => shownOf(map, { ...USUAL_OPTIONS, ...more }).nodes.map(({ id }) => id);
    expect(ids({ around: 'holds', up: 1, down: 0 })).toEqual(['gangway', 'holds']);
    expect(ids({ least: 0.1 })).toEqual(['gangway', 'holds', 'berths']);
    expect(ids({ changed: true })).toEqual([]);
    const grown = { ...map, edges: [...map.edges, edge('berths', 'fares', 50, { turn: 'new' })] };
    expect(shownOf(grown, { ...USUAL_OPTIONS, changed: true }).nodes.map(({ id }) => id)).toEqual(['berths', 'fares']);
  });
});

describe('walking by keys', () => {
  const layout = {
    direction: 'right' as const,
    plates: new Map([
      ['holds', { x: 0, y: 0 }],
      ['berths', { x: 200, y: 0 }],
      ['fares', { x: 202, y: 80 }],
    ]),
    ways: new Map(),
    width: 0,
    height: 0,
  };

  it('goes along the busiest call, back to the caller, and up and down a layer', () => {
    expect(stepFrom('holds', 'right', map.edges, layout)).toBe('berths');
    expect(stepFrom('berths', 'left', map.edges, layout)).toBe('holds');
    expect(stepFrom('berths', 'down', map.edges, layout)).toBe('fares');
    expect(stepFrom('fares', 'down', map.edges, layout)).toBe('fares');
    expect(firstNode(map.nodes, map.edges)).toBe('gangway');
  });

  it('does the same with the other keys where calls lead down', () => {
    const turned = [...layout.plates].map(([id, { x, y }]) => [id, { x: y, y: x }] as const);
    const down = { ...layout, direction: 'down' as const, plates: new Map(turned) };
    expect(stepFrom('holds', 'down', map.edges, down)).toBe('berths');
    expect(stepFrom('berths', 'up', map.edges, down)).toBe('holds');
    expect(stepFrom('berths', 'right', map.edges, down)).toBe('fares');
    expect(stepFrom('fares', 'left', map.edges, down)).toBe('berths');
  });
});

it('draws a way smoothly and knows its middle', () => {
  const way = [
    { x: 0, y: 0 },
    { x: 10, y: 0 },
    { x: 10, y: 10 },
  ];
  expect(middle(way)).toMatchObject({ x: 10, y: 0 });
  expect(wayPath(way.slice(0, 2), 'right')).toMatch(/^M0,0C.*10,0$/);
});

it('lets a straight way leave and come in along the direction of the map', () => {
  const numbers = (path: string) =>
    path
      .split(/[MC,]/)
      .filter((it) => it !== '')
      .map(Number);
  const ends = [
    { x: 0, y: 0 },
    { x: 90, y: 60 },
  ];
  // The first control point of the curve lies on the level, or below the start.
  const [, , right, level] = numbers(wayPath(ends, 'right'));
  expect([right > 0, level]).toEqual([true, 0]);
  const [, , plumb, down] = numbers(wayPath(ends, 'down'));
  expect([plumb, down > 0]).toEqual([0, true]);
});

it('makes a stripe of where time goes, its own first, what is thin left out', () => {
  const line = (kind: 'own' | 'below' | 'db', ns: number) => ({ kind, party: 'berths', ns });
  const parts = timeParts({ meanNs: 1000, requests: 1, lines: [line('below', 600), line('own', 395), line('db', 5)] });
  expect(parts.map(({ key, share }) => [key, share])).toEqual([
    ['own berths', 0.395],
    ['below berths', 0.6],
  ]);
});

it('tells what lies between the two sides of a call, where both tell of it', () => {
  expect(betweenNs({ ...sum(10), totalNs: 5000 }, { ...sum(10), totalNs: 4000 })).toBe(100);
  expect(betweenNs(sum(10), sum(2))).toBeNull();
  expect(betweenNs(sum(10), sum(0))).toBeNull();
});

describe('what is near on a large map', () => {
  const grid = Array.from({ length: 400 }, (_, at) => ({
    id: `p${at}`,
    type: 'plate',
    position: { x: (at % 20) * 300, y: Math.floor(at / 20) * 120 },
  })) as PlateNode[];
  const view: View = { x: 0, y: 0, zoom: 1, width: 900, height: 600 };
  const ids = (of: View) => nearPlates(grid, of).map(({ id }) => id);

  it('is what is in the window onto it, and a little beyond', () => {
    // 900 and three tenths of it: plates at 0, 300, 600, 900; 600 and three tenths: rows at 0 to 720.
    expect(ids(view)).toHaveLength(4 * 7);
    expect(ids({ ...view, x: -3000, y: -1200 })).toContain('p210');
    expect(ids({ ...view, x: -3000, y: -1200 })).not.toContain('p0');
    expect(ids({ ...view, zoom: 2 }).length).toBeLessThan(4 * 7);
  });

  it('is nothing where no figure could be read', () => {
    expect(ids({ ...view, zoom: 0.3 })).toEqual([]);
  });

  it('has the calls that carry trouble, are chosen or are of a request, between plates that are near', () => {
    const call = (source: string, target: string, data: object) =>
      ({
        id: `${source} ${target}`,
        source,
        target,
        data: { carries: 'none', chosen: false, request: '', ...data },
      }) as unknown as CallLine;
    const plates = nearPlates(grid, view);
    const calls = [
      call('p0', 'p1', {}),
      call('p0', 'p2', { carries: 'failures' }),
      call('p1', 'p2', { chosen: true }),
      call('p1', 'p3', { request: '2' }),
      call('p1', 'p399', { request: '3' }),
    ];
    expect(nearCalls(calls, plates).map(({ id }) => id)).toEqual(['p0 p2', 'p1 p2', 'p1 p3']);
  });

  it('matters for many plates or many calls only', () => {
    expect([isLarge(grid, []), isLarge(grid.slice(0, 100), []), isLarge([], Array(501))]).toEqual([true, false, true]);
  });
});
