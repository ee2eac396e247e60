import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { PathPart } from '../topology/origin/pathParts.ts';
import { PathDifference } from './pathDifference.ts';

const PARTS: readonly PathPart[] = (['own', 'db', 'gap', 'pool'] as const).flatMap((kind) =>
  ['holds', 'berths'].map((party) => ({ node: party, party, kind, operation: `${kind} it`, resource: null, above: [party] })),
);
const request = fc.record({
  isA: fc.boolean(),
  isLeft: fc.boolean(),
  ns: fc.array(fc.integer({ min: 0, max: 5_000 }), { minLength: PARTS.length, maxLength: PARTS.length }),
});

it('lines add up to the difference of the mean durations, of all and of those that are left', () => {
  fc.assert(
    fc.property(fc.array(request, { minLength: 1, maxLength: 40 }), (requests) => {
      const paths = new PathDifference();
      for (const { isA, isLeft, ns } of requests)
        paths.add(
          isA,
          isLeft,
          1,
          PARTS.map((part, at) => [part, ns[at]] as const),
        );
      const mean = (of: typeof requests) =>
        of.length === 0 ? 0 : of.reduce((sum, { ns }) => sum + ns.reduce((all, it) => all + it, 0), 0) / of.length;
      const difference = (of: typeof requests) => mean(of.filter(({ isA }) => isA)) - mean(of.filter(({ isA }) => !isA));
      const lines = paths.lines();
      expect(lines.reduce((sum, { a, b }) => sum + a - b, 0)).toBeCloseTo(difference(requests), 6);
      const left = requests.filter(({ isLeft }) => isLeft);
      expect(lines.reduce((sum, { leftA, leftB }) => sum + leftA - leftB, 0)).toBeCloseTo(difference(left), 6);
    }),
  );
});
