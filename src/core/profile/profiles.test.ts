import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { callTree, type PairedStack, packageOf } from './callTree.ts';
import { flameLayout, nodeAt } from './flameLayout.ts';
import { functionSums } from './functionSums.ts';
import { lineCosts } from './lineCosts.ts';
import { streakOf } from './looks.ts';
import { isOwnFrame } from './ownFrame.ts';
import { NO_RULES, ownFrames } from './ownRules.ts';
import { ProfileSegmentWriter, profileRows } from './profileColumns.ts';
import { readStackText } from './readStackText.ts';
import type { Frame, StackSample } from './stackSample.ts';
import { StackSums } from './stackSums.ts';
import { formatCost, profileSentence } from './words.ts';

const frame = (name: string, line = 1, file = 'src/a.js'): Frame => ({ name, file, line });
const [main, solve, fits, overlaps] = [frame('main'), frame('solve', 10), frame('fits', 20), frame('overlaps', 30)];
const CPU = { type: 'cpu', unit: 'nanoseconds', period: 10, version: '1', instance: 'i' };

/** A few stacks of any shape, recursion among them. */
const anyStacks = fc.array(
  fc.record({
    frames: fc.array(fc.constantFrom(main, solve, fits, overlaps, frame('solve', 11)), { minLength: 1, maxLength: 6 }),
    lit: fc.nat(100),
    before: fc.nat(100),
  }),
  { maxLength: 25 },
);

describe('columns of profiles', () => {
  it('keep the total when there are more stacks or rows than they hold', () => {
    for (const bounds of [
      { stacks: 5, rows: 1_000 },
      { stacks: 1_000, rows: 5 },
    ]) {
      const writer = new ProfileSegmentWriter(bounds);
      const samples = Array.from({ length: 50 }, (_, at) => ({
        frames: [frame(`f${at}`, at), main],
        value: 1 + at,
        operation: 'GET /a',
      }));
      for (const time of [1, 2]) writer.add({ time, ...CPU }, samples);
      const rows = profileRows(writer.finish());
      expect(rows.stacks.texts.length).toBeLessThanOrEqual(6);
      const sums = new StackSums();
      sums.add(rows, 0, 10, { type: 'cpu nanoseconds' });
      expect(sums.total).toBe(2 * ((50 * 51) / 2));
      const names = sums.stacks.map((it) => sums.frames[it.frames[0]].name);
      expect(names).toContain('f0');
      expect(names).toContain('(stacks left out)');
      expect(names).not.toContain('f49');
    }
  });

  it('give back what was written: by time, type, version, operation', () => {
    const writer = new ProfileSegmentWriter();
    const samples: StackSample[] = [
      { frames: [fits, solve, main], value: 30, operation: 'GET /a' },
      { frames: [fits, solve, main], value: 10, operation: 'GET /b' },
      { frames: [main], value: 20 },
      { frames: [main], value: 0 },
    ];
    writer.add({ time: 1_000, ...CPU }, samples);
    writer.add({ time: 2_000, ...CPU, version: '2' }, [{ frames: [overlaps, fits, solve, main], value: 50 }]);
    writer.add({ time: 2_000, ...CPU, type: 'wall' }, [{ frames: [main], value: 999 }]);
    const rows = profileRows(writer.finish());
    const sums = new StackSums();
    sums.add(rows, 0, 10_000, { type: 'cpu nanoseconds' });
    expect([sums.total, sums.count]).toEqual([110, 11]);
    expect(Object.fromEntries(sums.types)).toEqual({ 'cpu nanoseconds': 110, 'wall nanoseconds': 999 });
    expect(Object.fromEntries(sums.versions)).toEqual({ 1: 60, 2: 50 });
    expect(Object.fromEntries(sums.operations)).toEqual({ '': 70, 'GET /a': 30, 'GET /b': 10 });
    const { frames } = sums;
    expect(sums.stacks.map((it) => [it.frames.map((at) => frames[at].name).join(' '), it.value])).toEqual(
      expect.arrayContaining([
        ['fits solve main', 40],
        ['main', 20],
        ['overlaps fits solve main', 50],
      ]),
    );
    const late = new StackSums();
    late.add(rows, 2_000, 10_000, { type: 'cpu nanoseconds', version: '1' });
    expect(late.total).toBe(0);
    const one = new StackSums();
    one.add(rows, 0, 2_000, { type: 'cpu nanoseconds', operation: 'GET /b' });
    expect(one.total).toBe(10);
  });

  it('sum to what the samples weigh, however they are spread over segments', () => {
    fc.assert(
      fc.property(anyStacks, fc.integer({ min: 1, max: 4 }), (stacks, parts) => {
        const writers = Array.from({ length: parts }, () => new ProfileSegmentWriter());
        for (const [at, { frames, lit }] of stacks.entries())
          writers[at % parts].add({ time: at, ...CPU }, [{ frames, value: lit }]);
        const sums = new StackSums();
        for (const writer of writers) sums.add(profileRows(writer.finish()), 0, 1_000, { type: 'cpu nanoseconds' });
        const total = stacks.reduce((sum, { lit }) => sum + lit, 0);
        expect(sums.total).toBe(total);
        // A stack of several segments is one.
        expect(new Set(sums.stacks.map(({ frames }) => frames.join(' '))).size).toBe(sums.stacks.length);
        const { frames } = sums;
        for (const it of sums.stacks) {
          const key = it.frames.map((at) => `${frames[at].name}:${frames[at].line}`).join();
          const same = stacks.filter((of) => of.frames.map(({ name, line }) => `${name}:${line}`).join() === key);
          expect(it.value).toBe(same.reduce((sum, { lit }) => sum + lit, 0));
        }
      }),
    );
  });
});

describe('the tree of calls', () => {
  const stacks: PairedStack[] = [
    { frames: [overlaps, fits, solve, main], lit: 70, before: 0 },
    { frames: [fits, solve, main], lit: 20, before: 30 },
    { frames: [main], lit: 10, before: 10 },
  ];
  const named = (tree: ReturnType<typeof callTree>) =>
    tree.frame.map((at, node) => `${at < 0 ? 'all' : tree.frames[at].name} ${tree.lit[node]} ${tree.before[node]}`);

  it('goes down from the entry', () =>
    expect(named(callTree(stacks, { direction: 'down', by: 'function' }))).toEqual([
      'all 100 40',
      'main 100 40',
      'solve 90 30',
      'fits 90 30',
      'overlaps 70 0',
    ]));

  it('goes up from what computes', () =>
    expect(named(callTree(stacks, { direction: 'up', by: 'function' })).slice(0, 4)).toEqual([
      'all 100 40',
      'fits 20 30',
      'solve 20 30',
      'main 20 30',
    ]));

  it('leaves out what is too narrow, and says how much that was', () => {
    const tree = callTree(stacks, { direction: 'down', by: 'function' }, 0.75);
    expect(named(tree)).toEqual(['all 100 40', 'main 100 40', 'solve 90 30', 'fits 90 30']);
    expect(tree.leftOut).toEqual({ nodes: 1, lit: 70, before: 0 });
  });

  it('has in each node what its children have and its own', () =>
    fc.assert(
      fc.property(anyStacks, fc.constantFrom('down' as const, 'up' as const), (some, direction) => {
        const { parent, lit, before } = callTree(some, { direction, by: 'line' }, 0);
        const children = lit.map(() => [0, 0]);
        for (const [node, above] of parent.entries())
          if (above >= 0) {
            expect(above).toBeLessThan(node);
            children[above][0] += lit[node];
            children[above][1] += before[node];
          }
        for (const [node, [l, b]] of children.entries()) {
          expect(l).toBeLessThanOrEqual(lit[node]);
          expect(b).toBeLessThanOrEqual(before[node]);
        }
        expect(lit[0]).toBe(some.reduce((sum, it) => sum + it.lit, 0));
      }),
    ));

  it('lies with children within their parent, side by side, and is found again where it lies', () =>
    fc.assert(
      fc.property(anyStacks, (some) => {
        const tree = callTree(some, { direction: 'down', by: 'line' }, 0);
        const layout = flameLayout(tree, 'lit');
        for (let node = 1; node < tree.parent.length; node++) {
          const above = tree.parent[node];
          expect(layout.left[node]).toBeGreaterThanOrEqual(layout.left[above] - 1e-9);
          expect(layout.left[node] + layout.width[node]).toBeLessThanOrEqual(layout.left[above] + layout.width[above] + 1e-9);
          expect(layout.end[node]).toBeLessThanOrEqual(layout.end[above]);
          const middle = layout.left[node] + layout.width[node] / 2;
          if (layout.width[node] > 1e-6) expect(nodeAt(layout, middle, layout.depth[node])).toBe(node);
        }
      }),
    ));

  it.each([
    [frame('reach/berths/layout.(*Solver).fits', 1, 'layout/solve.go'), 'reach/berths/layout'],
    [frame('reach.manifests.BookingStore.change', 1, 'reach/manifests/BookingStore.java'), 'reach.manifests'],
    [frame('query', 1, '/app/node_modules/@scope/driver/client.js'), '@scope/driver'],
    [frame('deflate', 1, 'node:zlib'), 'node'],
    [frame('render', 1, 'src/draw/render.js'), 'src/draw'],
  ])('packages $name', (it, wanted) => expect(packageOf(it)).toBe(wanted));
});

describe('functions', () => {
  it('count recursion once in what they weigh with all they call', () => {
    const [first] = functionSums([{ frames: [solve, frame('solve', 11), main], lit: 8, before: 4 }]);
    expect(first).toMatchObject({ name: 'solve', self: { lit: 8, before: 4 }, total: { lit: 8, before: 4 } });
  });

  it('have selves that sum to the whole, and no total beyond it', () =>
    fc.assert(
      fc.property(anyStacks, (some) => {
        const whole = some.reduce((sum, { lit }) => sum + lit, 0);
        const sums = functionSums(some);
        expect(sums.reduce((sum, { self }) => sum + self.lit, 0)).toBe(whole);
        for (const { self, total } of sums) {
          expect(total.lit).toBeLessThanOrEqual(whole);
          expect(self.lit).toBeLessThanOrEqual(total.lit);
        }
      }),
    ));

  it('cost each of their lines what is on it, with what it calls and alone', () =>
    expect(
      lineCosts(
        [
          { frames: [frame('inner', 7), frame('inner', 7), frame('outer', 3)], lit: 5, before: 0 },
          { frames: [frame('other', 1, 'src/b.js'), frame('outer', 3)], lit: 2, before: 1 },
        ],
        'src/a.js',
      ),
    ).toEqual([
      { line: 3, total: { lit: 7, before: 1 }, self: { lit: 0, before: 0 } },
      { line: 7, total: { lit: 5, before: 0 }, self: { lit: 5, before: 0 } },
    ]));
});

describe('stacks as runtimes print them', () => {
  it('of Node.js, with async frames and without names', () =>
    expect(
      readStackText(
        'Error\n    at work (file:///app/src/a.js:10:5)\n    at async Object.handle (/app/src/b.js:3:1)\n    at node:internal/timers:581:17',
      ),
    ).toEqual([
      { name: 'work', file: 'file:///app/src/a.js', line: 10 },
      { name: 'Object.handle', file: '/app/src/b.js', line: 3 },
      { name: '(anonymous)', file: 'node:internal/timers', line: 581 },
    ]));

  it('of the JVM, whose files get the folders of their package', () =>
    expect(readStackText('x.Y: no\n\tat reach.manifests.BookingStore.change(BookingStore.java:88)')).toEqual([
      { name: 'reach.manifests.BookingStore.change', file: 'reach/manifests/BookingStore.java', line: 88 },
    ]));

  it('of Go, a function in two lines', () =>
    expect(readStackText('goroutine 1 [running]:\nreach/layout.fits(...)\n\t/src/layout/solve.go:38')).toEqual([
      { name: 'reach/layout.fits', file: '/src/layout/solve.go', line: 38 },
    ]));

  it('of Python, which prints the innermost last', () =>
    expect(
      readStackText(
        'Traceback (most recent call last):\n  File "/app/api.py", line 4, in handle\n  File "/app/load.py", line 9, in load\nE: x',
      ).map(({ name }) => name),
    ).toEqual(['load', 'handle']));

  it('as probes send them', () =>
    expect(readStackText('fits layout/solve.go:38\n(garbage collector) :0\nrender src/a b.js:2')).toEqual([
      { name: 'fits', file: 'layout/solve.go', line: 38 },
      { name: '(garbage collector)', file: '', line: 0 },
      { name: 'render src/a', file: 'b.js', line: 2 },
    ]));
});

describe('own code', () => {
  it('is told by rules before it is told by itself', () => {
    const isOwn = ownFrames({ own: ['node_modules/our-*'], library: ['reach.shared.'] });
    expect(isOwn(frame('x', 1, 'node_modules/our-forms/a.js'))).toBe(true);
    expect(isOwn(frame('x', 1, 'node_modules/forms/a.js'))).toBe(false);
    expect(isOwn(frame('reach.shared.Clock.now', 1, 'reach/shared/Clock.java'))).toBe(false);
    expect(ownFrames(NO_RULES)(frame('x', 1, 'src/a.js'))).toBe(isOwnFrame(frame('x', 1, 'src/a.js')));
  });

  it('takes the marks of patterns as they stand', () =>
    expect(ownFrames({ own: ['a.b(c'], library: [] })(frame('a.b(c)', 1, 'node:x'))).toBe(true));
});

describe('a streak', () => {
  const look = (at: number, frames: Frame[]) => ({ at, ageMs: at, frames, wait: '' });
  const isOwn = (it: Frame) => it.file === 'src/a.js';
  it('lasts as long as the first line of own code is the same, whatever libraries do below it', () =>
    expect(
      streakOf([look(1, [fits]), look(2, [solve]), look(3, [frame('read', 1, 'node:fs'), solve]), look(4, [solve])], isOwn),
    ).toEqual({ frame: solve, since: 2, looks: 3, of: 4 }));
  it('ends with another line of the same function', () =>
    expect(streakOf([look(1, [solve]), look(2, [frame('solve', 11)])], isOwn)).toMatchObject({ since: 2, looks: 1 }));
  it('is none without own code, and none without looks', () => {
    expect(streakOf([look(1, [frame('read', 1, 'node:fs')])], isOwn)).toBeNull();
    expect(streakOf([], isOwn)).toBeNull();
  });
});

describe('the sentence of a profile', () => {
  const side = (value: number, count: number, requests: number) => ({ value, count, requests });
  const sides = { service: 'berths', type: 'cpu', unit: 'nanoseconds', reference: 'before' };
  const grown = { name: 'a.overlaps', file: 'a.go', line: 1, self: { lit: 70e9, before: 0 }, total: { lit: 70e9, before: 0 } };
  it('says what a request takes, and what is new', () =>
    expect(profileSentence({ ...sides, lit: side(100e9, 1_000, 100), before: side(4e9, 400, 100) }, grown)).toBe(
      'berths computes 40.0 ms → 1.00 s a request; overlaps, new, takes 70 %',
    ));
  it('says that there is not enough data, and how much there is', () => {
    expect(profileSentence({ ...sides, lit: side(1e9, 12, 3), before: side(0, 0, 0) }, undefined)).toBe(
      'Not enough data: 12 samples of berths in this window',
    );
    expect(profileSentence({ ...sides, lit: side(0, 0, 0), before: side(0, 0, 0) }, undefined)).toBe(
      'No samples of berths in this window',
    );
  });
  it('names no function that did not grow', () =>
    expect(
      profileSentence(
        { ...sides, lit: side(100e9, 1_000, 100), before: side(100e9, 1_000, 100) },
        { ...grown, self: { lit: 31e9, before: 30e9 }, total: { lit: 31e9, before: 30e9 } },
      ),
    ).toBe('berths computes 1.00 s → 1.00 s a request; no function’s share grew'));
  it('writes values in their unit', () =>
    expect([formatCost(0, 'bytes'), formatCost(2 * 2 ** 20, 'bytes'), formatCost(1_234, 'count')]).toEqual([
      '0',
      '2.10 MB',
      '1\u202f234 count',
    ]));
});
