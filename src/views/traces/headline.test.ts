import { expect, it } from 'vitest';
import { headline } from './headline.ts';

const figures = {
  count: 2069,
  failed: 51,
  p50Ns: 42e6,
  p95Ns: 2.41e9,
  p99Ns: 5e9,
  maxNs: 6.76e9,
  durations: [],
  services: [],
  entries: [],
  operations: [],
};

it.each([
  ['Half of 2\u202f069 requests took under 42.0 ms, 1 in 20 over 2.41 s', figures],
  ['2\u202f069 requests, most under 90.0 ms, the slowest 6.76 s', { ...figures, p95Ns: 9e7 }],
  ['All 12 requests have a failure', { ...figures, count: 12, failed: 12 }],
  ['One request, 6.76 s, with a failure', { ...figures, count: 1, failed: 1 }],
  ['Nothing is lit here', { ...figures, count: 0, failed: 0, p50Ns: null, p95Ns: null, p99Ns: null, maxNs: null }],
  ['Looking …', undefined],
])('%s', (sentence, overview) => expect(headline(overview)).toBe(sentence));
