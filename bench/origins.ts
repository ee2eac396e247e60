import { graphOf } from '../src/core/topology/graph.ts';
import { failureOrigins, failureStart } from '../src/core/topology/origin/failureStart.ts';
import { LookUpCounts } from '../src/core/topology/origin/lookUpCounts.ts';
import type { CallRates } from '../src/core/topology/origin/moreCalls.ts';
import { slowMachine } from '../src/core/topology/origin/slowMachine.ts';
import { slownessOrigins } from '../src/core/topology/origin/slowness.ts';
import { trafficOf, trafficRequest } from '../src/core/topology/traffic.ts';
import { assemble, type Trace } from '../src/core/trace/assemble.ts';
import type { Span } from '../src/core/trace/span.ts';
import { sumVerdicts } from '../src/core/verdict/sumVerdicts.ts';
import { durationsOf, rootOf } from '../tests/support/rootFigures.ts';

/** A stretch of time, minutes since 1970-01-01; the end is exclusive. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
}

/** Spans of requests that began in some stretches of time, kept while a day is simulated. */
export class KeptSpans {
  readonly #stretches: readonly Stretch[];
  readonly #byTrace = new Map<string, Span[]>();

  constructor(stretches: readonly Stretch[]) {
    this.#stretches = stretches;
  }

  add(span: Span): void {
    const minute = Number(span.start / 60_000_000_000n);
    // A request may go on for a few minutes after the stretch in which it began.
    if (!this.#stretches.some(({ from, to }) => minute >= from && minute < to + 3)) return;
    const known = this.#byTrace.get(span.traceId);
    if (known) known.push(span);
    else this.#byTrace.set(span.traceId, [span]);
  }

  requestsIn({ from, to }: Stretch): Trace[] {
    return [...this.#byTrace.values()].flatMap((spans) => {
      const root = spans.find(({ parentSpanId }) => parentSpanId === null);
      if (root?.kind !== 'server' && root?.kind !== 'client') return [];
      const minute = Number(root.start / 60_000_000_000n);
      return minute >= from && minute < to ? [assemble(spans)!] : [];
    });
  }
}

/** What the map says first: where failures start, where slowness does, and the machine that slowness has in common. */
export function placesNamed(lit: readonly Trace[], before: readonly Trace[]): { failures: string[]; slowness: string[] } {
  const starts = (traces: readonly Trace[]) => traces.flatMap((trace) => failureStart(trace) ?? []);
  const failing = (traces: readonly Trace[]) => ({
    requests: traces.length,
    failing: starts(traces).length,
    starts: starts(traces),
  });
  const failures = failureOrigins(failing(lit), failing(before)).filter((it) => it.starts);
  const entryOf = (trace: Trace) => rootOf(trace).name;
  const entries = [...new Set(lit.map(entryOf))].map((entry) => ({
    lit: lit.filter((trace) => entryOf(trace) === entry),
    before: before.filter((trace) => entryOf(trace) === entry),
  }));
  const verdicts = sumVerdicts(entries.map((it) => ({ lit: durationsOf(it.lit), before: durationsOf(it.before) })));
  const fine = (traces: readonly Trace[]) => traces.filter((trace) => rootOf(trace).status !== 'error');
  const slower = entries
    .filter((_, at) => verdicts[at].state === 'strained')
    .map((it) => ({ lit: fine(it.lit), before: fine(it.before), litRequests: fine(it.lit).length }));
  const origins = slownessOrigins(
    slower,
    callsIn(
      slower.flatMap((it) => it.lit),
      slower.flatMap((it) => it.before),
    ),
  );
  const machine = slowMachine(origins, (host) => host.replace(/^vm-(quay-\d).*$/, '$1'));
  return {
    failures: failures.map(({ party }) => party),
    slowness: [...(machine ? [machine.name] : []), ...origins.filter((it) => it.starts).map(({ party }) => party)],
  };
}

function callsIn(lit: readonly Trace[], before: readonly Trace[]): CallRates {
  const caches = new Set<string>();
  const rates = (traces: readonly Trace[]) => {
    const { nodes, edges } = graphOf(trafficOf(traces, false));
    const handled = new Map(nodes.map(({ id, figures }) => [id, figures.calls]));
    for (const { id, kind } of nodes) if (kind === 'cache') caches.add(id);
    return (caller: string, callee: string) => {
      const requests = handled.get(caller);
      if (!requests) return undefined;
      return edges.reduce((sum, it) => sum + (it.from === caller && it.to === callee ? it.caller.calls : 0), 0) / requests;
    };
  };
  const lookUpsIn = (traces: readonly Trace[]) => {
    const counts = new LookUpCounts();
    for (const trace of traces) counts.add(trafficRequest(trace));
    return counts;
  };
  const [lookedUp, lookedUpBefore] = [lookUpsIn(lit), lookUpsIn(before)];
  const [now, then] = [rates(lit), rates(before)];
  return {
    counts: (caller, callee) => {
      const [a, b] = [now(caller, callee), then(caller, callee)];
      return a === undefined || b === undefined ? undefined : { lit: a, before: b };
    },
    caches: (caller) => [...caches].filter((it) => (now(caller, it) ?? 0) > 0),
    lookUps: (asker, cache) => ({ lit: lookedUp.of(asker, cache), before: lookedUpBefore.of(asker, cache) }),
  };
}
