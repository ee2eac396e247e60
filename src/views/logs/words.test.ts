import { describe, expect, it } from 'vitest';
import type { LogOverview } from '../../api/logs/overview.ts';
import { ADDRESSED, questionOf } from './options.ts';
import { apartWords, harmless, type LogShape, logsHeadline, shapeText, spreadWords, stateWord, structureOf } from './words.ts';

const hole = (...values: string[]) => ({
  distinct: values.length,
  many: false,
  top: values.map((value) => ({ value, lit: 3, before: 0 })),
});
const shape: LogShape = {
  id: '0'.repeat(16),
  pieces: ['key ', { hole: 0 }, ' refused for ', { hole: 1 }, { hole: 2 }],
  coarse: false,
  state: 'new',
  times: null,
  chance: 0,
  severity: 'error',
  services: ['tidewatch'],
  lit: 6,
  before: 0,
  series: [1, 5],
  beforeSeries: [0, 0],
  firstAt: 0,
  firstSeen: Date.parse('2026-11-27T15:36:00Z'),
  joined: [],
  apartOf: null,
  toldApart: 0,
  holes: [hole('k-0931'), hole('tern', 'auk'), hole('\n  at second line')],
};
const answer = (part: Partial<LogOverview>): LogOverview => ({
  litWindow: { from: '2026-11-27T15:00:00Z', to: '2026-11-27T16:00:00Z' },
  beforeWindow: { from: '2026-11-27T13:00:00Z', to: '2026-11-27T14:00:00Z' },
  stepMs: 60_000,
  total: { lit: 100, before: 100 },
  building: 0,
  leftOut: 0,
  severities: [],
  shapes: [shape],
  shapesNotListed: { shapes: 0, lit: 0, before: 0 },
  fields: [],
  changes: [],
  ...part,
});
const NOW = Date.parse('2026-11-27T20:00:00Z');
const said = (part: Partial<LogOverview>) => logsHeadline(answer(part), 'UTC', NOW);

describe('what the page says first', () => {
  it('is the shape that is new, with what never varies in its place', () => {
    expect(shapeText(shape)).toBe('key k-0931 refused for …');
    expect(said({})).toBe('key k-0931 refused for …: 6 lines, none before; first 15:36');
  });

  it('is how often it comes now, that it is gone, or that nothing is new', () => {
    const of = (part: Partial<LogShape>) => said({ shapes: [{ ...shape, ...part }] });
    expect(of({ state: 'more', times: 191.4 })).toContain('191 × as often as before');
    expect(of({ state: 'fewer', times: 0.25 })).toContain('0.3 × as often');
    expect(of({ state: 'gone', lit: 0, before: 40 })).toContain('none, 40 before');
    expect(of({ state: 'burst' })).toContain('most of them at once');
    expect(of({ state: 'rare' })).toBe('No message is new or comes more or less often');
  });

  it('says when there is nothing to say it of', () => {
    expect(said({ total: { lit: 0, before: 0 } })).toBe('No lines here');
    expect(said({ total: { lit: 5, before: 0 }, shapes: [{ ...shape, state: 'same' }] })).toContain(
      'none before to hold them against',
    );
    // What is only partly read is no ground for a claim.
    expect(said({ building: 2 })).toBe('100 lines so far; some are still being read');
  });
});

it('values that spread are told in few words', () => {
  expect(shape.holes.map(spreadWords)).toEqual(['always k-0931', '2 values', 'always ']);
  expect(spreadWords({ distinct: 400, many: true, top: [{ value: 'a', lit: 1, before: 0 }] })).toBe('more than 400 values');
  expect(stateWord({ ...shape, lit: 1 })).toBe('once');
});

describe('a hostile line', () => {
  it('shows its controls, and neither colours nor turns anything', () => {
    expect(harmless('\u001b[31mred\u001b[0m\u0007 \u202egnp.exe')).toBe('red␦ ␦gnp.exe');
    expect(harmless('two\nlines\twith a tab')).toBe('two\nlines\twith a tab');
  });

  it('that is a structure is set out; one that only looks so is not', () => {
    expect(structureOf('{"a":1}')).toBe('{\n  "a": 1\n}');
    expect(structureOf('{"a":')).toBeUndefined();
    expect(structureOf('plain')).toBeUndefined();
  });
});

it('moments apart have a sign and a unit', () => {
  expect([-912e6, 0.4e6, 4e6, -1.2e9, 600e9].map(apartWords)).toEqual(['−912 ms', '+0.4 ms', '+4 ms', '−1.2 s', '+10 min']);
});

it('the options are read from an address as they were written', () => {
  const options = {
    ...ADDRESSED.read(new URLSearchParams()),
    text: 'a "b c"',
    severity: ['error', 'fatal'],
    shape: ['1'.repeat(16)],
    as: 'lines' as const,
    columns: ['key.id'],
  };
  const written = Object.entries(ADDRESSED.write(options)).flatMap(([name, value]) =>
    value === undefined ? [] : [[name, value]],
  );
  expect(ADDRESSED.read(new URLSearchParams(written))).toEqual(options);
  expect(ADDRESSED.write(ADDRESSED.read(new URLSearchParams()))).toEqual({});
  expect(questionOf(options)).toEqual({ text: 'a "b c"', severity: 'error,fatal', shape: '1'.repeat(16) });
});
