import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeSpans } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../assemble.ts';
import { likeNumbers } from './like.ts';

describe('nodes that are alike', () => {
  it('have the same number, others another', () => {
    const sketch = fc.record({
      service: fc.constantFrom('holds', 'berths', 'holds berths'),
      name: fc.constantFrom('solve', 'place', ''),
      kind: fc.constantFrom('client' as const, 'server' as const),
    });
    fc.assert(
      fc.property(fc.array(sketch, { minLength: 1, maxLength: 20 }), (sketches) => {
        const trace = assemble(
          makeSpans(...sketches.map((it, id) => ({ ...it, id, parent: id === 0 ? undefined : 0, from: id, to: 100 }))),
        )!;
        const numbers = likeNumbers(trace);
        const keys = trace.nodes.map(({ span: { service, name, kind } }) => JSON.stringify([service, name, kind]));
        for (const [a, key] of keys.entries())
          for (const [b, other] of keys.entries()) expect(numbers[a] === numbers[b]).toBe(key === other);
        expect(likeNumbers(trace)).toBe(numbers);
      }),
    );
  });
});
