import { expect, it } from 'vitest';
import { fileKind } from './fileKind.ts';

it.each([
  ['a/day.jsonl.gz', { type: 'otlp-json' }],
  ['day.JSON', { type: 'otlp-json' }],
  ['traces.pb', { type: 'otlp-protobuf', signal: 'traces' }],
  ['one-log.bin.gz', { type: 'otlp-protobuf', signal: 'logs' }],
  ['cpu.pb.gz', { type: 'pprof' }],
  ['holds.pprof', { type: 'pprof' }],
  ['out.folded', { type: 'folded' }],
  ['CPU.1.cpuprofile', { type: 'cpuprofile' }],
])('%s is %j by its name', (path, kind) => expect(fileKind(path, undefined)).toEqual(kind));

it('protobuf of no name is what one says it is', () => {
  expect(fileKind('x.pb', 'metrics')).toEqual({ type: 'otlp-protobuf', signal: 'metrics' });
  expect(fileKind('x.pb', undefined)).toHaveProperty('unknown');
  expect(fileKind('x.png', undefined)).toHaveProperty('unknown');
});
