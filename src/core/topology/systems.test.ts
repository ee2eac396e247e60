import { describe, expect, it } from 'vitest';
import { madeSystem } from '../../../tests/support/made/madeSystem.ts';
import { assemble, type Trace } from '../trace/assemble.ts';
import type { Span } from '../trace/span.ts';
import { graphOf } from './graph.ts';
import { type FailingRequests, failureOrigins, failureStart } from './origin/failureStart.ts';
import { type SlowerEntry, slownessOrigins } from './origin/slowness.ts';
import { addressKey, type Traffic, trafficOf } from './traffic.ts';

/** Seeds that nothing was tried out on. */
const SYSTEMS = Array.from({ length: 120 }, (_, at) => 7_000 + 13 * at);

const trees = (all: readonly Span[][]): Trace[] => all.map((spans) => assemble(spans)!);

/** Where all that was taken at an address was taken by one service, that service; as the store knows it. */
function addressees(traffic: Traffic) {
  const known = new Map(
    traffic.calls.filter(({ takers }) => takers.size === 1).map((it) => [addressKey(it), [...it.takers.keys()][0]]),
  );
  return (call: Traffic['calls'][number]) => known.get(addressKey(call));
}

function failing(traces: readonly Trace[]): FailingRequests {
  const requests = traces.filter(isRequest);
  const starts = requests.flatMap((trace) => failureStart(trace) ?? []);
  return { requests: requests.length, failing: starts.length, starts };
}

const rootOf = (trace: Trace) => trace.nodes[trace.roots[0]].span;
/** What takes messages out of a queue is nobody's request. */
const isRequest = (trace: Trace) => rootOf(trace).kind === 'server';

function slower(lit: readonly Trace[], before: readonly Trace[]): SlowerEntry[] {
  const names = [...new Set(lit.filter(isRequest).map((trace) => rootOf(trace).name))];
  return names.map((name) => {
    const of = (traces: readonly Trace[]) => traces.filter((trace) => rootOf(trace).name === name);
    return { litRequests: of(lit).length, lit: of(lit), before: of(before) };
  });
}

describe('systems drawn by lot, with one part that is ill', () => {
  it('are drawn with every node and every call, and no other', () => {
    for (const seed of SYSTEMS) {
      const { before, lit, handled, calls } = madeSystem(seed, 40);
      const traffic = trafficOf(trees([...before, ...lit]));
      const { nodes, edges } = graphOf(traffic, addressees(traffic));
      const services = nodes.filter(({ kind }) => kind === 'service');
      expect(new Map(services.map(({ id, figures }) => [id, figures.calls])), `seed ${seed}`).toEqual(handled);
      expect(new Map(edges.map(({ from, to, caller }) => [`${from} > ${to}`, caller.calls])), `seed ${seed}`).toEqual(calls);
      const ends = new Set([...calls.keys()].flatMap((it) => it.split(' > ')));
      expect(new Set(nodes.map(({ id }) => id))).toEqual(new Set([...ends, ...handled.keys()]));
    }
  });

  it('say where the trouble starts in at least 95 of 100', () => {
    const missed: string[] = [];
    for (const seed of SYSTEMS) {
      const { fault, before, lit } = madeSystem(seed);
      const [now, then] = [trees(lit), trees(before)];
      const origins = fault.what === 'fails' ? failureOrigins(failing(now), failing(then)) : slownessOrigins(slower(now, then));
      const [first] = origins;
      if (!first?.starts || first.node !== fault.node)
        missed.push(`seed ${seed}: ${fault.node} ${fault.what}, said ${first?.node} with ${first?.share}`);
    }
    expect(missed.length, missed.join('\n')).toBeLessThanOrEqual(0.05 * SYSTEMS.length);
  });

  it('say of nobody that failures start there when nothing is ill', () => {
    for (const seed of SYSTEMS.slice(0, 30)) {
      const { before } = madeSystem(seed);
      const half = Math.floor(before.length / 2);
      const [a, b] = [trees(before.slice(0, half)), trees(before.slice(half))];
      expect(failureOrigins(failing(a), failing(b))).toEqual([]);
    }
  });
});
