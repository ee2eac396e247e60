import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { hotLines } from './hotLines.ts';
import { isOwnFrame } from './ownFrame.ts';
import type { Frame } from './stackSample.ts';

const frame = (name: string, file: string, line = 1): Frame => ({ name, file, line });

describe('a frame is one’s own', () => {
  it.each([
    frame('reach/berths/layout.(*Solver).fits', 'layout/solve.go'),
    frame('reach.manifests.PassengerList.merge', 'reach/manifests/PassengerList.java'),
    frame('renderPass', 'src/render.js'),
    frame('run', 'roster/load.py'),
  ])('$name', (it) => expect(isOwnFrame(it)).toBe(true));

  it.each([
    frame('net/http.(*conn).serve', 'net/http/server.go'),
    frame('sort.Slice', 'sort/slice.go'),
    frame('runtime.goexit', 'runtime/asm_amd64.s'),
    frame('java.lang.Thread.run', 'java/lang/Thread.java'),
    frame('deflate', 'node:zlib'),
    frame('next', '/app/node_modules/router/index.js'),
    frame('dispatch', '/usr/lib/python3.11/site-packages/web/views.py'),
  ])('not when it is $name', (it) => expect(isOwnFrame(it)).toBe(false));
});

describe('hot lines', () => {
  const serve = frame('net/http.(*conn).serve', 'net/http/server.go', 2009);
  const fits = frame('layout.fits', 'layout/solve.go', 41);
  const solve = frame('layout.Solve', 'layout/solve.go', 19);
  const sort = frame('sort.Slice', 'sort/slice.go', 29);

  it('are of the innermost own frame, and say in what library it was', () => {
    expect(
      hotLines([
        { frames: [fits, solve, serve], value: 60 },
        { frames: [fits, solve, serve], value: 10 },
        { frames: [sort, solve, serve], value: 20 },
        { frames: [serve], value: 10 },
      ]),
    ).toEqual([
      { frame: fits, own: true, below: null, samples: 2, value: 70, share: 0.7 },
      { frame: solve, own: true, below: 'sort.Slice', samples: 1, value: 20, share: 0.2 },
      { frame: serve, own: false, below: null, samples: 1, value: 10, share: 0.1 },
    ]);
  });

  it('are there for samples without a stack, and none for none', () => {
    expect(hotLines([{ frames: [], value: 3 }])).toMatchObject([{ frame: { name: 'no stack' }, own: false, value: 3 }]);
    expect(hotLines([])).toEqual([]);
  });

  it('sum to the samples, in order of their weight', () => {
    const frames = fc.array(fc.constantFrom(serve, fits, solve, sort), { maxLength: 4 });
    fc.assert(
      fc.property(fc.array(fc.record({ frames, value: fc.nat(1000) }), { maxLength: 40 }), (samples) => {
        const lines = hotLines(samples);
        const sum = (of: readonly { value: number }[]) => of.reduce((total, { value }) => total + value, 0);
        expect(sum(lines)).toBe(sum(samples));
        expect(lines.reduce((total, it) => total + it.samples, 0)).toBe(samples.length);
        for (let at = 1; at < lines.length; at++) expect(lines[at - 1].value).toBeGreaterThanOrEqual(lines[at].value);
      }),
    );
  });
});
