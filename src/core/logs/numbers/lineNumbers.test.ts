import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { LogSegmentWriter } from '../logColumns.ts';
import { maskLine } from '../maskLine.ts';
import { ShapeTree } from '../shapeTree.ts';
import { HOLE, holeAsOf } from '../template.ts';
import { LineNumbers, numberIn, percentilesOf, readWriter, unitBeside } from './lineNumbers.ts';

describe('a number in a line', () => {
  it.each([
    ['41', 41],
    ['41ms', 41],
    ['-3.5', -3.5],
    ['1,234,567', 1_234_567],
    ['2e3', 2_000],
    ['97 %', 97],
    ['12 kB', 12],
  ])('%s is one', (text, number) => expect(numberIn(text)).toBe(number));

  it.each(['', 'ann', '10.0.3.7', '2026-11-27', '12:30:01', '9f1c03ab', '1,23', '0x1f', '1e999', '41 ms later'])(
    '%j is none',
    (text) => expect(numberIn(text)).toBeUndefined(),
  );
});

describe('the unit of a number', () => {
  const unit = (text: string, hole: number) => unitBeside(maskLine(text).parts, hole);
  it('is what is written beside it', () => {
    expect(unit('solved in 41ms', 0)).toBe('ms');
    expect(unit('waited 3 s for 12 berths', 0)).toBe('s');
    expect(unit('waited 3 s for 12 berths', 1)).toBe('');
    expect(unit('wait_ms=41 left', 0)).toBe('ms');
    expect(unit('body of 300 bytes', 0)).toBe('By');
    expect(unit('7 left', 0)).toBe('');
  });
});

describe('a hole of a template that became more general', () => {
  it('is found again', () => {
    const narrow = ['', 'mail', ' ', 'to', ' ', `lane-${HOLE}`, ' ', HOLE, ''];
    expect(holeAsOf(narrow, ['', HOLE, ' ', 'to', ' ', `lane-${HOLE}`, ' ', HOLE, ''], 1)).toBe(2);
    expect(holeAsOf(narrow, ['', 'mail', ' ', 'to', ' ', HOLE, ' ', HOLE, ''], 0)).toBe(0);
    expect(holeAsOf(narrow, ['', 'mail', ''], 0)).toBeUndefined();
  });
});

describe('numbers of lines', () => {
  it('are counted, summed and spread as the same numbers are by themselves, by stretch and writer', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(59_999), fc.integer({ min: 0, max: 100_000 }), fc.constantFrom('a-1', 'a-2')), {
          minLength: 1,
          maxLength: 200,
        }),
        (said) => {
          const tree = new ShapeTree();
          const writer = new LogSegmentWriter();
          const sorted = [...said].sort((a, b) => a[0] - b[0]);
          for (const [at, [ms, number, instance]] of sorted.entries()) {
            const text = `solved in ${number} ms`;
            const row = { time: ms * 1e6, severity: 9, service: 'a', instance, trace: Number.NaN, text, block: 1, index: at };
            writer.add({ ...row, attributes: new Map() }, tree.match(maskLine(text)));
          }
          const [[id, { template }]] = tree.changed;
          const numbers = new LineNumbers({ shape: id, hole: 0 }, { from: 0, stepMs: 10_000, stretches: 6 });
          const segment = writer.finish();
          numbers.add(
            segment,
            0,
            Uint32Array.from(sorted, (_, row) => row),
            (it) => ({ id: it, template, own: template }),
          );
          for (const [stretch, sum] of numbers.byStretch().entries()) {
            const own = said.filter(([ms]) => Math.floor(ms / 10_000) === stretch).map(([, number]) => number);
            expect(sum?.count ?? 0).toBe(own.length);
            if (!sum) continue;
            expect(sum.sum).toBe(own.reduce((all, it) => all + it, 0));
            expect([sum.least, sum.most]).toEqual([Math.min(...own), Math.max(...own)]);
            const exact = [...own].sort((a, b) => a - b)[Math.ceil(own.length * 0.5) - 1];
            const { p50 } = percentilesOf(sum);
            expect(Math.abs(p50! - exact)).toBeLessThanOrEqual(exact * 0.05 + 1e-9);
          }
          const writers = new Set([...numbers.sums.keys()].map((key) => readWriter(key).instance));
          expect(writers).toEqual(new Set(said.map(([, , instance]) => instance)));
          expect(numbers.whole()!.count).toBe(said.length);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('leave out lines in which no number stands there, and say how many', () => {
    const tree = new ShapeTree();
    const writer = new LogSegmentWriter();
    for (const [at, word] of ['12', 'none', '14'].entries()) {
      const text = `left on deck two: ${word} berths`;
      const row = { time: at, severity: 9, service: 'a', instance: '', trace: Number.NaN, text, block: 1, index: at };
      writer.add({ ...row, attributes: new Map() }, tree.match(maskLine(text)));
    }
    const last = [...tree.changed.values()].find((it) => it.countedAs === it.id)!;
    const of = (id: string) => ({ id: last.id, template: last.template, own: tree.changed.get(id)!.template });
    const numbers = new LineNumbers({ shape: last.id, hole: 0 }, { from: 0, stepMs: 1_000, stretches: 1 });
    numbers.add(writer.finish(), 0, Uint32Array.of(0, 1, 2), of);
    expect(numbers.whole()).toMatchObject({ count: 2, sum: 26 });
    expect(numbers.others).toBe(1);
  });
});
