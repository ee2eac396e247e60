import { expect, it } from 'vitest';
import { writeOpenMetrics } from './openMetrics.ts';

it('writes families with type, unit and help, counters with their ending, and the end', () => {
  const text = writeOpenMetrics([
    {
      name: 'dusk_heap',
      help: 'Memory in use',
      type: 'gauge',
      unit: 'bytes',
      values: [{ labels: { process: 'answering' }, value: 12.5 }],
    },
    { name: 'dusk_restarts', help: 'a "b"', type: 'counter', unit: '', values: [{ labels: {}, value: 3 }] },
  ]);
  expect(text).toBe(
    [
      '# TYPE dusk_heap_bytes gauge',
      '# UNIT dusk_heap_bytes bytes',
      '# HELP dusk_heap_bytes Memory in use',
      'dusk_heap_bytes{process="answering"} 12.5',
      '# TYPE dusk_restarts counter',
      '# HELP dusk_restarts a \\"b\\"',
      'dusk_restarts_total 3',
      '# EOF',
      '',
    ].join('\n'),
  );
});

it('escapes what a label holds', () => {
  const values = [{ labels: { reason: 'a\nb\\c"d' }, value: 1 }];
  expect(writeOpenMetrics([{ name: 'x', help: '', type: 'gauge', unit: '', values }])).toContain('x{reason="a\\nb\\\\c\\"d"} 1');
});
