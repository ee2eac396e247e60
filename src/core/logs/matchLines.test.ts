import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { decodeSegment, encodeSegment } from '../../formats/columns/segmentBytes.ts';
import { codesOf, numbersOf } from '../columns/segment.ts';
import { condition } from '../scope/condition.ts';
import { LEFT_OUT, LogSegmentWriter, SEVERITY, TIME } from './logColumns.ts';
import type { LogRow } from './logRow.ts';
import { maskLine } from './maskLine.ts';
import { type LineContext, type LineQuery, matchLines } from './matchLines.ts';
import { textReader } from './matchText.ts';
import { messageOf } from './messageOf.ts';
import { ShapeTree } from './shapeTree.ts';
import { fitsText, NO_TEXT, parseTextQuery } from './textQuery.ts';

const row = (text: string, part: Partial<LogRow> = {}): LogRow => ({
  time: 0,
  severity: 9,
  service: 'holds',
  instance: 'holds-1',
  trace: Number.NaN,
  text,
  block: 7,
  index: 0,
  attributes: new Map(),
  ...part,
});

/** Rows as a segment, with the templates of their shapes. */
function segmentOf(rows: readonly LogRow[]) {
  const tree = new ShapeTree();
  const writer = new LogSegmentWriter();
  for (const it of rows) writer.add(it, tree.match(maskLine(messageOf(it.text))));
  const context: LineContext = {
    templateOf: (id) => tree.changed.get(id)?.template,
    countedAs: (id) => id,
    requestFits: () => undefined,
  };
  return { segment: writer.finish(), context };
}

const AS_IT_IS = { deflate: (bytes: Uint8Array) => bytes, inflate: (bytes: Uint8Array) => bytes };
const ALL: LineQuery = { text: NO_TEXT, severities: [], shapes: [], without: [], where: [] };
const matching = (rows: readonly LogRow[], query: Partial<LineQuery>, part: Partial<LineContext> = {}) => {
  const { segment, context } = segmentOf(rows);
  return [...matchLines(segment, { ...ALL, ...query }, { ...context, ...part })];
};

// Words that stand in texts, values of holes, and what begins in the one and ends in the other.
const word = fc.constantFrom(
  'hold',
  'placed',
  'lane-11',
  'lane-7',
  'OR7C41E9',
  'OR1',
  '11',
  '4.5',
  '41ms',
  'é',
  '{"a":1}',
  'a=b',
  'İx',
  'ΟΔΟΣ',
  'x=ΣΑΣ,7',
  'at\nnoon',
  'q"ab"',
  '\u001b[31m',
  'c:\\new',
);
const line = fc.array(word, { minLength: 1, maxLength: 6 }).map((words) => words.join(' '));
const term = fc.oneof(
  word,
  fc.constantFrom(
    'e-1',
    'd l',
    '-1',
    '1 h',
    'C41',
    '1',
    'or7',
    '"hold placed"',
    '-hold',
    '-"lane-7"',
    '/lane-\\d+$/',
    'οδος',
    'σ,7',
    'd ο',
  ),
);

describe('looking for text', () => {
  it('finds exactly the lines that have it, though most are not put together', () => {
    fc.assert(
      fc.property(
        fc.array(line, { minLength: 1, maxLength: 30 }),
        fc.array(term, { minLength: 1, maxLength: 3 }),
        (texts, terms) => {
          const query = parseTextQuery(terms.join(' '));
          if (typeof query === 'string') return;
          const { segment, context } = segmentOf(texts.map((text) => row(text)));
          const expected = texts.map((text) => Number(fitsText(query, text)));
          // As columns are made, and as they are read from the store, where texts lie joined.
          for (const it of [segment, decodeSegment(encodeSegment(segment, AS_IT_IS), AS_IT_IS)!])
            expect([...matchLines(it, { ...ALL, text: query }, context)]).toEqual(expected);
        },
      ),
      { numRuns: 400 },
    );
  });
});

describe('conditions', () => {
  const rows = [
    row('one', { attributes: new Map([['ferry.route', 'tern']]), trace: 1 }),
    row('two', { attributes: new Map([['ferry.route', 'auk']]), trace: 2 }),
    row('three', { trace: 3, service: 'fares' }),
    row('four', { service: 'fares', instance: 'fares-2' }),
  ];

  it('hold for what the line says of itself', () => {
    expect(matching(rows, { where: [condition('ferry.route', 'is', 'tern')] })).toEqual([1, 0, 0, 0]);
    expect(matching(rows, { where: [condition('ferry.route', 'is not', 'tern')] })).toEqual([0, 1, 1, 1]);
    expect(matching(rows, { where: [condition('ferry.route', 'exists')] })).toEqual([1, 1, 0, 0]);
    expect(matching(rows, { where: [condition('ferry.route', 'is missing')] })).toEqual([0, 0, 1, 1]);
    expect(matching(rows, { where: [condition('service', 'is', 'fares')] })).toEqual([0, 0, 1, 1]);
    expect(matching(rows, { where: [condition('service.instance.id', 'contains', 'FARES-2')] })).toEqual([0, 0, 0, 1]);
  });

  it('hold through the request where the line says nothing of it', () => {
    const requestFits = () => (trace: number) => trace === 3;
    expect(matching(rows, { where: [condition('ferry.route', 'is', 'tern')] }, { requestFits })).toEqual([1, 0, 1, 0]);
    expect(matching(rows, { where: [condition('entry', 'is', 'GET /fares')] }, { requestFits })).toEqual([0, 0, 1, 0]);
  });

  it('choose by severity and by shape, as it is counted today', () => {
    const graded = [row('a b 1', { severity: 17 }), row('a b 2', { severity: 13 }), row('c d 3', { severity: 0 })];
    expect(matching(graded, { severities: ['error', 'none'] })).toEqual([1, 0, 1]);
    const countedAs = (id: string) => (id === shapeOf(graded, 0) ? 'merged' : id);
    expect(matching(graded, { shapes: ['merged'] }, { countedAs })).toEqual([1, 1, 0]);
    expect(matching(graded, { without: ['merged'] }, { countedAs })).toEqual([0, 0, 1]);
  });
});

function shapeOf(rows: readonly LogRow[], at: number): string {
  const { values, texts } = codesOf(segmentOf(rows).segment, 'shape');
  return texts[values[at] - 1];
}

describe('lines as columns', () => {
  const texts = [
    'hold placed for OR7C41E9',
    'level=info msg="hold placed" ref=9',
    'two\n  lines',
    '',
    'odd   spaces\t kept',
    '{"message":"x","n":1}',
  ];
  const rows = texts.map((text, at) =>
    row(text, { time: at, severity: at, trace: at === 2 ? Number.NaN : at, attributes: new Map([['n', `${at}`]]) }),
  );

  it('give each text back as it was, also when they are copied into another segment', () => {
    const { segment, context } = segmentOf(rows);
    const copy = new LogSegmentWriter();
    for (let at = 0; at < segment.rows; at++) copy.copy(segment, at);
    for (const it of [segment, copy.finish()]) {
      expect(texts.map((_, at) => textReader(it, context.templateOf)(at))).toEqual(texts);
      expect([...numbersOf(it, TIME)]).toEqual(rows.map(({ time }) => time));
      expect([...codesOf(it, SEVERITY).values]).toEqual(rows.map(({ severity }) => severity));
      expect([...numbersOf(it, 'trace')]).toEqual(rows.map(({ trace }) => trace));
      expect(codesOf(it, 'a:n').texts).toEqual(rows.map((_, at) => `${at}`));
    }
  });

  it('carry how many records were left out, and lose that when they are written anew', () => {
    const tree = new ShapeTree();
    const writer = new LogSegmentWriter();
    writer.add(rows[0], tree.match(maskLine(rows[0].text)));
    writer.leaveOut(512);
    writer.add(rows[1], tree.match(maskLine(rows[1].text)));
    const segment = writer.finish();
    expect([...codesOf(segment, LEFT_OUT).values]).toEqual([0, 512]);
    const copy = new LogSegmentWriter();
    copy.copy(segment, 1);
    expect(copy.finish().column(LEFT_OUT)).toBeUndefined();
  });

  it('have columns for so many keys and no more', () => {
    const many = new Map(Array.from({ length: 1_000 }, (_, at) => [`made.up.${at}`, 'x']));
    const { segment } = segmentOf([row('a', { attributes: many })]);
    expect(segment.names.filter((name) => name.startsWith('a:')).length).toBeLessThanOrEqual(300);
  });
});
