import { describe, expect, it } from 'vitest';
import { HARMLESS } from '../../demo/incidents/harmless.ts';
import { INCIDENTS } from '../../demo/incidents/known.ts';
import { Run } from '../../demo/run.ts';
import { type FailingRequests, failureOrigins, failureStart } from '../../src/core/topology/origin/failureStart.ts';
import { slowMachine } from '../../src/core/topology/origin/slowMachine.ts';
import { slownessOrigins } from '../../src/core/topology/origin/slowness.ts';
import { assemble, type Trace } from '../../src/core/trace/assemble.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { sumVerdicts } from '../../src/core/verdict/sumVerdicts.ts';
import { durationsOf, rootOf } from '../support/rootFigures.ts';

/* What the map says of incidents of the demo, each simulated by itself with an hour before it: the place that starts it, and no other. */

const END = Date.parse('2026-05-02T15:00:00Z');
const MINUTE = 60_000;

/** The requests of the hour before an incident and of its first forty minutes, once it is under way. */
function windowsOf(id: string, seed: number): { before: Trace[]; lit: Trace[] } {
  const incident = INCIDENTS.find((it) => it.id === id)!;
  const begins = END - incident.begins * MINUTE;
  const spans: Span[] = [];
  const until = begins + 45 * MINUTE;
  const options = { endMs: END, fromMs: begins - 60 * MINUTE, untilMs: until, seed, incidents: [incident], harmless: HARMLESS };
  new Run(options, { span: (it) => spans.push(it), log: () => {}, point: () => {}, profile: () => {} }).advance(until);
  const byTrace = new Map<string, Span[]>();
  for (const span of spans) {
    const known = byTrace.get(span.traceId);
    if (known) known.push(span);
    else byTrace.set(span.traceId, [span]);
  }
  const traces = [...byTrace.values()].map((it) => assemble(it)!).filter((trace) => isRequest(trace));
  const at = (trace: Trace) => Number(trace.start / 1_000_000n);
  return {
    before: traces.filter((trace) => at(trace) < begins),
    lit: traces.filter((trace) => at(trace) >= begins + 5 * MINUTE),
  };
}

function isRequest(trace: Trace): boolean {
  return rootOf(trace).parentSpanId === null && (rootOf(trace).kind === 'server' || rootOf(trace).kind === 'client');
}

function failing(traces: readonly Trace[]): FailingRequests {
  const starts = traces.flatMap((trace) => failureStart(trace) ?? []);
  return { requests: traces.length, failing: starts.length, starts };
}

/** Where slowness starts, over the entries that got slower beyond chance. */
function slowness({ before, lit }: { before: readonly Trace[]; lit: readonly Trace[] }) {
  const entryOf = (trace: Trace) => `${rootOf(trace).service} ${rootOf(trace).name}`;
  const entries = [...new Set(lit.map(entryOf))].map((entry) => ({
    lit: lit.filter((trace) => entryOf(trace) === entry),
    before: before.filter((trace) => entryOf(trace) === entry),
  }));
  return slownessOrigins(
    entries
      .filter((it) => sumVerdicts([{ lit: durationsOf(it.lit), before: durationsOf(it.before) }])[0].state === 'strained')
      .map((it) => ({ ...it, litRequests: it.lit.length })),
  );
}

describe('what the map says', () => {
  it('1: slowness starts in berths; holds and gangway pass it on, fares has no part', () => {
    const [first, ...others] = slowness(windowsOf('berths-n2', 3));
    expect(first).toMatchObject({ node: 'berths', starts: true });
    expect(first.share).toBeGreaterThan(0.7);
    expect(first.through).toEqual(expect.arrayContaining(['holds', 'gangway']));
    expect(others.filter(({ starts }) => starts)).toEqual([]);
  });

  it('3: failures start at met-relay; tidewatch, sailings and gangway pass them on', () => {
    const { before, lit } = windowsOf('met-relay-key', 3);
    const [first, ...others] = failureOrigins(failing(lit), failing(before));
    expect(first).toMatchObject({ node: 'met-relay.example', starts: true });
    expect(first.share).toBeGreaterThan(0.8);
    expect(first.through).toEqual(expect.arrayContaining(['tidewatch', 'sailings', 'gangway']));
    expect(others.filter(({ starts }) => starts)).toEqual([]);
  });

  it('5: several services got slower on quay-3, and nowhere else', () => {
    const origins = slowness(windowsOf('quay-3-backup', 3));
    // vm-quay-3a stands on quay-3.
    const machine = slowMachine(origins, (host) => host.replace(/^vm-(quay-\d)\w$/, '$1'));
    expect(machine?.name).toBe('quay-3');
    expect(machine?.share).toBeGreaterThan(0.6);
    expect(slowMachine(slowness(windowsOf('berths-n2', 3)), (host) => host)).toBeUndefined();
  });

  it('10: failures and the wait for them start at fares; holds, which tries again, passes them on', () => {
    const windows = windowsOf('fares-limit', 3);
    const [first] = failureOrigins(failing(windows.lit), failing(windows.before));
    expect(first).toMatchObject({ node: 'fares', starts: true });
    expect(first.through).toEqual(expect.arrayContaining(['holds', 'gangway']));
    const [slowest] = slowness(windows);
    if (slowest) expect(slowest.node).toBe('fares');
  });

  it.each([
    ['sailing-index', 'database:sailing-db'],
    ['crew-each', 'database:manifest-db'],
  ])('%s: slowness starts at %s', (id, node) => {
    expect(slowness(windowsOf(id, 3))[0]).toMatchObject({ node, starts: true });
  });
});
