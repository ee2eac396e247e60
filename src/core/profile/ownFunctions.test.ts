import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ownFunctions } from './ownFunctions.ts';
import type { StackSample } from './stackSample.ts';

const at = (name: string, line = 1, value = 10): StackSample => ({ frames: [{ name, file: 'src/passes.ts', line }], value });

describe('own time by function', () => {
  it('divides each span by its own samples, and joins the lines of a function at its heaviest', () => {
    const { functions, samples, unsampledNs } = ownFunctions([
      { ownNs: 1_000, samples: [at('seal', 4), at('seal', 9), at('seal', 9), at('read', 2)] },
      { ownNs: 400, samples: [at('read', 7)] },
      { ownNs: 60, samples: [] },
    ]);
    expect(functions.map(({ frame, ns, samples: of }) => [frame.name, frame.line, ns, of])).toEqual([
      ['seal', 9, 750, 3],
      ['read', 7, 650, 2],
    ]);
    expect([samples, unsampledNs]).toEqual([5, 60]);
  });

  it('says where in libraries it was, under the line of own code', () => {
    const library = { name: 'stringify', file: 'node_modules/fast-json/index.js', line: 3 };
    const [found] = ownFunctions([{ ownNs: 10, samples: [{ frames: [library, ...at('answer').frames], value: 1 }] }]).functions;
    expect(found).toMatchObject({ frame: { name: 'answer' }, own: true, below: 'stringify' });
  });

  it('adds up to the own time of all spans, to the nanosecond', () => {
    const sample = fc.record({ name: fc.constantFrom('a', 'b', 'c'), line: fc.integer({ min: 1, max: 4 }), value: fc.nat(1e6) });
    const span = fc.record({ ownNs: fc.nat(1e9), samples: fc.array(sample, { maxLength: 20 }) });
    fc.assert(
      fc.property(fc.array(span, { maxLength: 8 }), (spans) => {
        const made = spans.map(({ ownNs, samples }) => ({ ownNs, samples: samples.map((it) => at(it.name, it.line, it.value)) }));
        const { functions, unsampledNs } = ownFunctions(made);
        const sum = functions.reduce((all, { ns }) => all + ns, unsampledNs);
        expect(sum).toBe(spans.reduce((all, { ownNs }) => all + ownNs, 0));
        expect(functions.every(({ ns }) => ns >= 0)).toBe(true);
      }),
    );
  });
});
