import { expect, it } from 'vitest';
import { readUpOptions } from './upOptions.ts';

it('has usual values', () => {
  expect(readUpOptions([])).toEqual({
    port: undefined,
    host: '127.0.0.1',
    data: '.dusk',
    demo: true,
    live: true,
    traceSelf: false,
    watchOwnDatabase: false,
    fresh: false,
    yes: false,
  });
});

it('takes what it is told', () => {
  expect(
    readUpOptions([
      '--port',
      '5001',
      '--data',
      'elsewhere',
      '--no-demo',
      '--no-live',
      '--trace-self',
      '--watch-own-database',
      '--fresh',
      '--yes',
      '--host',
      '0.0.0.0',
    ]),
  ).toEqual({
    port: 5001,
    host: '0.0.0.0',
    data: 'elsewhere',
    demo: false,
    live: false,
    traceSelf: true,
    watchOwnDatabase: true,
    fresh: true,
    yes: true,
  });
});

it.each([[['--port', 'many']], [['--port', '70000']], [['--prot', '1']], [['extra']]])('does not take %j', (args) => {
  expect(() => readUpOptions(args)).toThrow();
});
