import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { segmentOf } from '../columns/segment.ts';
import { LogSegmentWriter } from './logColumns.ts';
import { maskLine } from './maskLine.ts';
import { ShapeTree } from './shapeTree.ts';
import { fill, type Template } from './template.ts';
import { FILTER, mayHave, neededBy, TextFilterWriter } from './textFilter.ts';
import { fitsText, parseTextQuery } from './textQuery.ts';

/** A filter of some lines, as a segment has it. */
function filterOf(lines: readonly { template: Template; values: readonly string[] }[]) {
  const writer = new TextFilterWriter();
  for (const { template, values } of lines) writer.add(template, values);
  return segmentOf(lines.length, new Map([[FILTER, { type: 'bytes', ...writer.finish(lines.length) } as const]]));
}

const piece = fc.constantFrom('hold ', 'OR7', 'lane-', '11', ' of ', 'é', 'İ', 'Σ', 'ſ', 'x', ' ', '4.5ms', 'Placed');

describe('a filter of texts', () => {
  it('never says of a text that is there that it is not', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(piece, { minLength: 1, maxLength: 6 }), { minLength: 1, maxLength: 20 }),
        fc.nat(),
        fc.nat(),
        fc.integer({ min: 1, max: 9 }),
        (texts, which, at, length) => {
          const lines = texts.map((pieces) => {
            const { parts, values } = maskLine(pieces.join(''));
            return { template: parts, values: values.flat() };
          });
          const { template, values } = lines[which % lines.length];
          const text = fill(template, values).toLowerCase();
          const from = at % Math.max(1, text.length);
          const sought = text.slice(from, from + length);
          expect(mayHave(filterOf(lines), sought)(template)).toBe(true);
        },
      ),
      { numRuns: 2_000 },
    );
  });

  it('says of nearly all texts that are not there that they are not', () => {
    const lines = Array.from({ length: 4_000 }, (_, at) => {
      const { parts, values } = maskLine(`hold placed for OR${(at * 7919) % 9973}C${at % 97}E: ${at % 9} guests`);
      return { template: parts, values: values.flat() };
    });
    const segment = filterOf(lines);
    const absent = Array.from({ length: 500 }, (_, at) => `q${(at * 31) % 89}zk-${at}`);
    const wrong = absent.filter((text) => mayHave(segment, text)(lines[0].template));
    expect(wrong.length).toBeLessThan(10);
    const column = segment.column(FILTER);
    expect(column?.type === 'bytes' && column.values.length / lines.length).toBeLessThanOrEqual(2);
  });

  it('is written anew of lines that are copied when their templates are known, and left out when they are not', () => {
    const tree = new ShapeTree();
    const first = new LogSegmentWriter();
    const row = {
      time: 0,
      severity: 9,
      service: 'a',
      instance: '',
      trace: Number.NaN,
      block: 1,
      index: 0,
      attributes: new Map(),
    };
    first.add({ ...row, text: 'hold OR7C41E9 placed' }, tree.match(maskLine('hold OR7C41E9 placed')));
    const former = first.finish();
    const [known, unknown] = [new LogSegmentWriter((id) => tree.changed.get(id)?.template), new LogSegmentWriter()].map(
      (writer) => {
        writer.copy(former, 0);
        return writer.finish();
      },
    );
    expect(known.column(FILTER)).toEqual(former.column(FILTER));
    expect(unknown.column(FILTER)).toBeUndefined();
    expect(mayHave(unknown, 'nobody says this')(undefined)).toBe(true);
  });
});

describe('what a pattern needs', () => {
  it.each([
    ['killed process \\d+', 'killed process '],
    ['key k-\\d+ unknown', ' unknown'],
    ['ab{2,3}cde', 'cde'],
    ['colou?r of it', 'r of it'],
    ['(OR\\d+) placed', ' placed'],
    ['a\\.b\\.c', 'a.b.c'],
    ['[\\]abc]def', 'def'],
    ['one|two', ''],
    ['(?i)one', ''],
    ['\\x41bcd', ''],
    ['[[:alpha:]x]yes', ''],
    ['go+al', 'go'],
  ])('/%s/ is %j', (source, needed) => expect(neededBy(source)).toBe(needed));

  it('is in every text that it fits', () => {
    const part = fc.constantFrom(
      'a',
      'bc',
      'ſ',
      'K',
      '\\d',
      '\\d+',
      '[ab]',
      '[^]a]',
      '(cd)',
      '(cd)?',
      'e*',
      'f+',
      'g?',
      'h{2}',
      '.',
      '\\.',
      ' ',
      '^',
      '$',
      'x|y',
      '\\bz',
    );
    const text = fc.array(
      fc.constantFrom('a', 'b', 'bc', 'cd', 's', 'k', '1', '22', 'e', 'ff', 'g', 'hh', '.', ' ', 'x', 'y', 'z'),
      { maxLength: 12 },
    );
    let fitted = 0;
    fc.assert(
      fc.property(fc.array(part, { minLength: 1, maxLength: 5 }), text, (parts, words) => {
        const query = parseTextQuery(`/${parts.join('')}/`);
        if (typeof query === 'string' || query.pattern === null) return;
        if (!fitsText(query, words.join(''))) return;
        fitted++;
        expect(words.join('')).toContain(neededBy(parts.join('')));
      }),
      { numRuns: 5_000 },
    );
    expect(fitted).toBeGreaterThan(200);
  });
});
