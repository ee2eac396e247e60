import { describe, expect, it } from 'vitest';
import { makeSpans } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../../trace/assemble.ts';
import type { TraceId } from '../../trace/span.ts';
import { type PathPart, pathParts } from './pathParts.ts';
import { SlownessSums } from './slowness.ts';
import { waysOfCallees } from './slowWay.ts';

const MS = 1e6;
/** Ways as "holds > manifests", with their milliseconds before and lit. */
const named = (ways: Record<string, [before: number, lit: number]>) =>
  waysOfCallees(
    Object.entries(ways).map(([way, [before, lit]]) => {
      const [from, to] = way.split(' > ');
      return { from, to, beforeNs: before * MS, litNs: lit * MS };
    }),
  ).map(({ from, to }) => `${from} > ${to}`);

describe('ways between services that take longer', () => {
  it('are the fault of whom they lead to, where all of its callers see it', () => {
    const ways = {
      'holds > manifests': [1, 400],
      'gangway > manifests': [1, 300],
      'gangway > accounts': [1, 1],
      'holds > fares': [1, 1],
    } as const;
    expect(named(ways as never)).toEqual(['holds > manifests', 'gangway > manifests']);
    expect(named({ 'holds > manifests': [1, 400], 'gangway > manifests': [1, 300] })).toHaveLength(2);
    // One that calls seldom is a caller, too, and waits little in all.
    expect(named({ 'holds > manifests': [1, 400], 'crew > manifests': [0.01, 3] })).toEqual(['holds > manifests']);
  });

  it('are that of its only caller, where all of its ways are slow', () => {
    expect(named({ 'holds > manifests': [1, 400], 'holds > fares': [1, 380], 'holds > berths': [1, 390] })).toEqual([]);
    expect(named({ 'holds > manifests': [1, 400], 'holds > fares': [1, 1], 'holds > berths': [1, 1] })).toEqual([
      'holds > manifests',
    ]);
  });

  it('stay with the caller where one of several callers sees it, or where they know only each other', () => {
    expect(named({ 'holds > manifests': [1, 400], 'gangway > manifests': [1, 1], 'holds > fares': [1, 1] })).toEqual([]);
    expect(named({ 'holds > manifests': [1, 400] })).toEqual([]);
  });

  it('are no matter when they hardly grew, or are as good as nothing beside others', () => {
    expect(named({ 'holds > manifests': [400, 420], 'gangway > manifests': [300, 310] })).toEqual([]);
    expect(named({ 'holds > fares': [1, 1000], 'holds > berths': [1, 1000], 'passes > manifests': [1, 3] })).toEqual([]);
  });
});

describe('where slowness starts, on the way to a service', () => {
  const id = (at: number) => at.toString(16).padStart(32, '0') as TraceId;
  const way = (from: string): PathPart => ({
    node: from,
    party: from,
    kind: 'gap',
    operation: 'GET /manifest',
    resource: null,
    above: [from],
    to: 'manifests',
  });

  it('is that service, with those who call it on the way, and requests that show it', () => {
    const sums = new SlownessSums();
    for (let at = 0; at < 100; at++)
      for (const from of ['holds', 'passes']) {
        sums.add(from, 'before', id(at), [[way(from), 1 * MS]]);
        sums.add(from, 'lit', id(1000 + at), [[way(from), (400 + at) * MS]]);
      }
    const origins = sums.origins();
    expect(origins.map(({ node }) => node)).toEqual(['manifests']);
    expect(origins[0]).toMatchObject({ share: 1, starts: true, kinds: [{ kind: 'gap' }] });
    expect([...origins[0].through].sort()).toEqual(['holds', 'passes']);
    expect(origins[0].traces[0]).toBe(id(1099));
    expect(origins[0].amount).toBeCloseTo(2 * (100 * 399 + (99 * 100) / 2) * MS, 0);
  });

  it('is known of a call by who took it', () => {
    const trace = assemble(
      makeSpans(
        { id: 0, from: 0, to: 100, service: 'holds', kind: 'server' },
        { id: 1, parent: 0, from: 10, to: 90, service: 'holds', kind: 'client' },
        { id: 2, parent: 1, from: 40, to: 60, service: 'manifests', kind: 'server' },
      ),
    )!;
    expect(pathParts(trace).map(([{ kind, node, to }, ns]) => [kind, node, to, ns])).toEqual([
      ['own', 'holds', undefined, 20],
      ['gap', 'holds', 'manifests', 60],
      ['own', 'manifests', undefined, 20],
    ]);
  });
});
