import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { toOtlpJson } from '../../../tests/support/made/otlpJson.ts';
import { randomTrace } from '../../../tests/support/made/randomTrace.ts';
import { TRACE_ID } from '../../../tests/support/made/traceMaker.ts';
import { recount } from '../../../tests/support/recount.ts';
import { failureRoles } from '../failures/failureRoles.ts';
import { assemble } from './assemble.ts';
import { selfTimes } from './selfTime.ts';
import { criticalPath } from './time/criticalPath.ts';
import { ledger } from './time/ledger.ts';

const RUNS = { numRuns: 1000 };

describe('for a thousand traces of every shape, broken ones among them', () => {
  it('the critical path is disjoint, in order, and sums to the root’s duration to the nanosecond', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const trace = assemble(spans)!;
        const root = trace.nodes[trace.roots[0]];
        const path = criticalPath(trace);
        let at = root.start;
        for (const { start, end } of path) {
          expect(start).toBe(at);
          expect(end).toBeGreaterThan(start);
          at = end;
        }
        expect(at).toBe(root.end);
      }),
      RUNS,
    );
  });

  it('the ledger sums to the root’s duration, also when database waits are known', () => {
    fc.assert(
      fc.property(randomTrace, fc.float({ min: 0, max: 1, noNaN: true }), (spans, lock) => {
        const trace = assemble(spans)!;
        const root = trace.nodes[trace.roots[0]];
        const lines = ledger(trace, criticalPath(trace), () => ({ lock, io: 1 - lock }));
        expect(lines.reduce((sum, line) => sum + line.durationNs, 0)).toBe(root.end - root.start);
      }),
      RUNS,
    );
  });

  it('every span is in the tree once, behind its parent', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const { nodes } = assemble(spans)!;
        expect(new Set(nodes.map(({ span }) => span.spanId)).size).toBe(spans.length);
        for (const [at, { parent, children }] of nodes.entries()) {
          expect(parent).toBeLessThan(at);
          for (const child of children) expect(nodes[child].parent).toBe(at);
        }
      }),
      RUNS,
    );
  });

  it('a second, plain computation from the definitions gives the same numbers', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const trace = assemble(spans)!;
        const again = recount(toOtlpJson(spans), TRACE_ID);
        const path = criticalPath(trace);
        const idOf = (node: number) => trace.nodes[node].span.spanId as string;
        expect(path.map(({ node, start, end }) => ({ spanId: idOf(node), start: BigInt(start), end: BigInt(end) }))).toEqual(
          again.path,
        );
        expect(new Map(selfTimes(trace).map((ns, node) => [idOf(node), BigInt(ns)]))).toEqual(
          new Map(trace.nodes.map(({ span }) => [span.spanId, again.self.get(span.spanId)])),
        );
        expect(
          new Map(ledger(trace, path).map(({ kind, party, durationNs }) => [`${kind} ${party}`, BigInt(durationNs)])),
        ).toEqual(again.ledger);
        const origins = failureRoles(trace).flatMap((role, node) =>
          role?.role === 'origin' ? [[idOf(node), role.party] as const] : [],
        );
        expect(new Map(origins)).toEqual(again.origins);
      }),
      RUNS,
    );
  });
});
