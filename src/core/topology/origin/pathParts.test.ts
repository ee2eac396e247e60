import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomTrace } from '../../../../tests/support/made/randomTrace.ts';
import { assemble } from '../../trace/assemble.ts';
import { criticalPath } from '../../trace/time/criticalPath.ts';
import { ledger } from '../../trace/time/ledger.ts';
import { pathParts } from './pathParts.ts';
import { SlownessSums, slownessOrigins } from './slowness.ts';

const traces = randomTrace.map((spans) => assemble(spans)).filter((trace) => trace !== undefined);

describe('the parts of a critical path', () => {
  it('sum to the duration exactly, each once', () => {
    fc.assert(
      fc.property(traces, (trace) => {
        const root = trace.nodes[trace.roots[0]];
        const parts = pathParts(trace);
        expect(parts.reduce((sum, [, ns]) => sum + ns, 0)).toBe(root.end - root.start);
        expect(new Set(parts.map(([part]) => JSON.stringify(part))).size).toBe(parts.length);
      }),
    );
  });

  it('are those of the ledger where nothing was retried', () => {
    fc.assert(
      fc.property(traces, (trace) => {
        if (trace.nodes.some(({ span }) => span.status === 'error')) return;
        const sums = new Map<string, number>();
        for (const [{ party, kind }, ns] of pathParts(trace))
          sums.set(`${kind} ${party}`, (sums.get(`${kind} ${party}`) ?? 0) + ns);
        const lines = ledger(trace, criticalPath(trace)).map(
          ({ party, kind, durationNs }) => [`${kind} ${party}`, durationNs] as const,
        );
        expect(sums).toEqual(new Map(lines));
      }),
    );
  });
});

describe('sums of slowness', () => {
  it('of all requests split the difference of the means times the requests', () => {
    fc.assert(
      fc.property(
        fc.array(traces, { minLength: 1, maxLength: 5 }),
        fc.array(traces, { minLength: 1, maxLength: 5 }),
        (lit, before) => {
          const duration = (of: typeof lit) =>
            of.reduce((sum, { nodes, roots }) => sum + nodes[roots[0]].end - nodes[roots[0]].start, 0) / of.length;
          const total = lit.length * (duration(lit) - duration(before));
          const origins = slownessOrigins([{ litRequests: lit.length, lit, before }]);
          const grown = origins.reduce((sum, { amount }) => sum + amount, 0);
          // What shrank elsewhere is not listed: the parts that grew are at least the whole.
          if (total > 1) expect(grown).toBeGreaterThanOrEqual(total * (1 - 1e-9));
          // About nothing at all the order of adding up decides.
          else if (total < -1) expect(origins).toEqual([]);
        },
      ),
    );
  });

  it('weigh a sample to the exact number of requests', () => {
    const [trace] = fc.sample(traces, { numRuns: 1, seed: 8 });
    const part = { node: 'a', party: 'a', kind: 'own', operation: 'solve', resource: null, above: ['a'] } as const;
    const sums = new SlownessSums();
    for (let at = 0; at < 10; at++) {
      sums.add('entry', 'lit', trace.traceId, [[part, 300]]);
      sums.add('entry', 'before', trace.traceId, [[part, 100]]);
    }
    expect(sums.origins({ requestsOf: () => 1000 })[0]).toMatchObject({ node: 'a', share: 1, amount: 1000 * 200, starts: true });
    expect(sums.origins()[0].amount).toBe(10 * 200);
  });
});
