import { describe, expect, it } from 'vitest';
import { functionIn, positionIn, resolveStack } from './stackLines.ts';

describe('a line of a stack', () => {
  it.each([
    ['    at onPress (https://own.example/app/button.js:31:4)', 'button.js', 31, 4, 'onPress'],
    ['    at async hold (https://own.example/hold.js:8:1)', 'hold.js', 8, 1, 'hold'],
    ['    at new Queue (https://own.example/queue.js:5:9)', 'queue.js', 5, 9, 'Queue'],
    ['    at Object.press [as onclick] (https://own.example/a.js:1:20)', 'a.js', 1, 20, 'Object.press'],
    ['    at https://own.example/a.js:2:30', 'a.js', 2, 30, ''],
    ['onPress@https://own.example/app/button.js:31:4', 'button.js', 31, 4, 'onPress'],
    ['@https://own.example/a.js:2:30', 'a.js', 2, 30, ''],
    ['    at f (app.js:7:8)', 'app.js', 7, 8, 'f'],
  ])('%s', (text, file, line, column, name) => {
    expect(positionIn(text)).toEqual({ file, line, column });
    expect(functionIn(text)).toBe(name);
  });

  it.each(['TypeError: queue is not defined', '', '    at native code', 'at f (app.js)', 'at f (app.js:7)'])(
    'has no position: "%s"',
    (text) => {
      expect(positionIn(text)).toBeUndefined();
    },
  );
});

describe('a stack', () => {
  const find = ({ file, line }: { file: string; line: number }) =>
    file === 'app.js' ? { source: 'src/hold.ts', line: line * 10, column: 3, name: line === 1 ? 'onHold' : '' } : undefined;

  it('is put as it was written where that is known; the rest stays', () => {
    const stack = [
      'TypeError: queue is not defined',
      '    at a (https://own.example/app.js:1:2)',
      '    at b (https://own.example/app.js:2:2)',
      '    at https://own.example/app.js:3:2',
      '    at tag (https://tags.example/tag.js:9:9)',
    ].join('\n');
    expect(resolveStack(stack, find).split('\n')).toEqual([
      'TypeError: queue is not defined',
      'onHold (src/hold.ts:10:3)',
      'b (src/hold.ts:20:3)',
      'src/hold.ts:30:3',
      '    at tag (https://tags.example/tag.js:9:9)',
    ]);
    expect(resolveStack('', find)).toBe('');
  });
});
