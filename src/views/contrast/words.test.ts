import { describe, expect, it } from 'vitest';
import type { ContrastAnswer, ContrastRow, ContrastSet } from '../../api/contrast/contrast.ts';
import { readOptions, USUAL, writeOptions } from './options.ts';
import { headline, reportText, ruledOutWords, setWords, shareWords, sideWords, turnOf } from './words.ts';

type FacetOfSet = ContrastSet['facets'][number];
const facet = (field: string, values: readonly string[], service: string | null = null): FacetOfSet => ({
  field,
  service,
  values: [...values],
  least: null,
  most: null,
});

it.each([
  ['coach or freight', [facet('ferry.vehicle_class', ['coach', 'freight'])]],
  ['coach with berths 4.7.0', [facet('ferry.vehicle_class', ['coach']), facet('service.version', ['4.7.0'], 'berths')]],
  ['berths-3', [facet('service.instance.id', ['berths-3'], 'berths')]],
  ['berths on quay-1', [facet('host.name', ['quay-1'], 'berths')]],
  ['party_size ≥ 7', [{ ...facet('ferry.party_size', []), least: 7 }]],
  ['days_ahead ≤ 30', [{ ...facet('search.days_ahead', []), most: 30 }]],
  ['cache.hit false', [facet('cache.hit', ['false'])]],
  ['deck 4', [facet('ferry.deck', ['4'])]],
])('a set is called %s', (words, facets) => {
  expect(setWords({ facets })).toBe(words);
});

const answer = {
  how: 'before',
  outcome: 'duration',
  byOutcome: false,
  swapped: false,
  overNs: null,
  enough: true,
  of: 1600,
  read: 1600,
  a: { requests: 900, mean: 632e6 },
  b: { requests: 700, mean: 54e6 },
  difference: 578e6,
  mixOfEntries: 0,
  toExplain: 578e6,
  toExplainRange: [500e6, 650e6],
  rows: [],
  ruledOut: [],
  stack: [],
} as unknown as ContrastAnswer;
const row = {
  facets: [facet('ferry.vehicle_class', ['coach', 'freight'])],
  amount: 0.991 * 578e6,
  range: [0.9 * 578e6, 1.1 * 578e6],
  requests: { a: 138, b: 103 },
  sure: true,
} as unknown as ContrastRow;

describe('the sentence', () => {
  it.each<[string, Partial<ContrastAnswer>, ContrastRow | undefined]>([
    ['99 % of the extra 578 ms: coach or freight', {}, row],
    ['Nothing explains the extra 578 ms for sure', {}, undefined],
    ['Nothing explains the extra 578 ms for sure', {}, { ...row, sure: false }],
    ['No difference beyond chance: 54.0 ms → 632 ms', { toExplainRange: [-1, 9e8] }, row],
    ['A is faster than B: 632 ms → 54.0 ms', { toExplainRange: [-9e8, -1e8], a: answer.b, b: answer.a }, undefined],
    [
      'Other entries are asked for, none is worse: 54.0 ms → 632 ms',
      { toExplainRange: [-1e6, 1e6], mixOfEntries: 570e6 },
      undefined,
    ],
    ['Not enough data: 1 request in B, 20 are needed', { enough: false, b: { requests: 1, mean: 5 } }, undefined],
    [
      '50 % of the 138 slow ones: coach or freight',
      { how: 'slow', byOutcome: true, toExplain: 1, toExplainRange: [1, 1], a: { requests: 138, mean: 4e9 } },
      { ...row, amount: 0.5 },
    ],
    [
      '50 % of the 769 in A: coach or freight',
      { how: 'slow', byOutcome: true, swapped: true, toExplain: 1, toExplainRange: [1, 1], a: { requests: 769, mean: 4e7 } },
      { ...row, amount: 0.5 },
    ],
    [
      '50 % of the extra 14 % that fail: coach or freight',
      { outcome: 'failures', toExplain: 0.138, toExplainRange: [0.1, 0.2] },
      { ...row, amount: 0.069 },
    ],
    [
      'A fails less often than B: 14 % → 0 %',
      {
        outcome: 'failures',
        toExplain: -0.138,
        toExplainRange: [-0.2, -0.1],
        a: { requests: 900, mean: 0 },
        b: { requests: 800, mean: 0.138 },
      },
      undefined,
    ],
  ])('%s', (words, change, first) => {
    expect(headline({ ...answer, ...change }, first).replaceAll('\u202f', ' ')).toBe(words);
  });

  it('knows worse from better and from neither', () => {
    const of = (toExplainRange: [number, number]) => turnOf({ ...answer, toExplainRange });
    expect([of([1, 2]), of([-1, 2]), of([-2, -1])]).toEqual(['worse', 'same', 'better']);
  });
});

it('the page as a text says both populations, each row with its range, and where it is', () => {
  const text = reportText({ ...answer, rows: [row] }, { a: 'the lit window', b: 'before' }, 'http://dusk/contrast').replaceAll(
    '\u202f',
    ' ',
  );
  expect(text).toContain('A: the lit window: 900 requests, mean 632 ms');
  expect(text).toContain('- coach or freight (ferry.vehicle_class): 99 % (90 % to 110 %); 138 in A, 103 in B');
  expect(text.endsWith('http://dusk/contrast')).toBe(true);
});

it.each([
  [0.9431, '94 %'],
  [0.0571, '5.7 %'],
  [-0.06, '−6.0 %'],
  [-0.0001, '0.0 %'],
  [1.234, '123 %'],
])('a share of %d is written %s', (share, words) => {
  expect(shareWords(share).replaceAll('\u202f', ' ')).toBe(words);
});

it('populations are named, in their places, with the part of the window', () => {
  const options = { how: 'slow', a: '', b: '', swap: 'no' } as const;
  expect(sideWords(options, { ...answer, overNs: 1.2e9 }, '14:02–14:06')).toEqual({
    a: 'took 1.20 s or longer, 14:02–14:06',
    b: 'the rest of the lit window',
  });
  expect(sideWords({ ...options, how: 'sets', a: 'ferry.channel is kiosk;duration over 3s', swap: 'yes' }, answer)).toEqual({
    a: 'all others',
    b: 'ferry.channel is kiosk and duration over 3s',
  });
});

it('what makes no difference is named by whose it is', () => {
  expect(ruledOutWords({ field: 'service.instance.id', service: 'holds' })).toBe('instance of holds');
  expect(ruledOutWords({ field: 'ferry.route', service: null })).toBe('ferry.route');
});

describe('the address', () => {
  it('carries what is contrasted, and reads back the same', () => {
    const options = {
      ...USUAL,
      how: 'sets',
      a: 'ferry.channel is kiosk',
      swap: 'yes',
      peel: ['ferry.route is "a|b"', 'size at least 7'],
      kept: [['ferry.route is tern'], []],
    } as const;
    expect(readOptions(new URLSearchParams(writeOptions(options)))).toEqual(options);
  });

  it('leaves out what is as usual, and takes nonsense for it', () => {
    expect(writeOptions(USUAL)).toEqual({});
    expect(readOptions(new URLSearchParams('how=sideways&over=-3&peel={"a":1}&kept=nothing&swap=maybe'))).toEqual(USUAL);
  });
});
