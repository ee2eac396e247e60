import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Segment } from '../src/core/columns/segment.ts';
import { LogSegmentWriter } from '../src/core/logs/logColumns.ts';
import type { LogRow } from '../src/core/logs/logRow.ts';
import { type MaskedLine, maskLine } from '../src/core/logs/maskLine.ts';
import { matchLines } from '../src/core/logs/matchLines.ts';
import { messageOf } from '../src/core/logs/messageOf.ts';
import { type Shape, ShapeTree } from '../src/core/logs/shapeTree.ts';
import { parseTextQuery } from '../src/core/logs/textQuery.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import { styledLogs } from '../tests/support/made/logStyles.ts';
import { medianOf, report } from './support/measure.ts';

const ROWS = 40_000;
const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes, { level: 4 }),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};
/** A word that stands in the literal text of a shape, the beginning of values, the end of one and the beginning of the other, one id, a pattern, nothing. */
const SEARCHES = ['pool', 'OR7C', '"worker-3"', '9f1c03ab77', '/killed process \\d+/', '"nobody says this"'];

/**
 * Lines of ten styles: how many are given a shape in a second, what they take as columns, and how long a text is looked for among them, from
 * deflated columns on, against reading their texts from JSON lines and looking through each.
 *
 * @param millions of lines
 */
export async function benchLogs(millions = 1): Promise<void> {
  const texts = styledLogs(5, 20_000).flatMap(({ lines }) => lines.map(({ text }) => text));
  const tree = new ShapeTree();
  for (const text of texts) tree.match(maskLine(messageOf(text)));
  const shapes = new Map<string, Shape>(tree.changed);
  const shaping = await medianOf(3, () => {
    for (const text of texts) tree.match(maskLine(messageOf(text)));
  });
  const splitting = await medianOf(3, () => {
    for (const text of texts) sink.push(text.split(/\s+/).length);
    sink.length = 0;
  });
  report(
    `${texts.length.toLocaleString('en')} lines given a shape, ${Math.round(texts.length / (shaping / 1000)).toLocaleString('en')} a second`,
    shaping,
    'splitting them at spaces',
    splitting,
  );

  const packed: Uint8Array[] = [];
  let json = '';
  let bytes = 0;
  const parts = Math.ceil((millions * 1_000_000) / ROWS);
  for (let part = 0; part < parts; part++) {
    const writer = new LogSegmentWriter();
    for (let row = 0; row < ROWS; row++) {
      const text = texts[(part * 7919 + row * 31) % texts.length];
      const line: MaskedLine = maskLine(messageOf(text));
      writer.add(rowOf(text, row), tree.match(line));
      if (part === 0) json += `${JSON.stringify({ text })}\n`;
    }
    const data = encodeSegment(writer.finish(), COMPRESSION);
    bytes += data.length;
    packed.push(data);
  }
  const lines = parts * ROWS;
  process.stdout.write(`${lines.toLocaleString('en')} lines as columns: ${(bytes / lines).toFixed(1)} bytes a line\n`);
  const reference = await medianOf(3, () => {
    for (const line of json.split('\n'))
      if (line !== '' && (JSON.parse(line) as { text: string }).text.includes('nobody')) sink.push(1);
  });
  for (const typed of SEARCHES) {
    const query = parseTextQuery(typed);
    if (typeof query === 'string') throw new Error(query);
    let found = 0;
    const work = await medianOf(1, () => {
      found = 0;
      for (const data of packed) found += count(decodeSegment(data, COMPRESSION)!, query, shapes);
    });
    report(
      `"${typed}" among ${lines.toLocaleString('en')} lines: ${found.toLocaleString('en')} found`,
      work,
      'looking through JSON lines, for as many',
      reference * parts,
    );
  }
}

const sink: number[] = [];

function count(
  segment: Segment,
  text: Exclude<ReturnType<typeof parseTextQuery>, string>,
  shapes: ReadonlyMap<string, Shape>,
): number {
  const marks = matchLines(
    segment,
    { text, severities: [], shapes: [], without: [], where: [] },
    { templateOf: (id) => shapes.get(id)?.template, countedAs: (id) => id, requestFits: () => undefined },
  );
  let found = 0;
  for (const mark of marks) found += mark;
  return found;
}

function rowOf(text: string, row: number): LogRow {
  return {
    time: row * 15_000_000,
    severity: 5 + 4 * (row % 4),
    service: `service-${row % 12}`,
    instance: `service-${row % 12}-${row % 3}`,
    trace: row % 3 === 0 ? Number.NaN : (row * 2_654_435_761) % 2 ** 48,
    text,
    block: Math.floor(row / 500),
    index: row % 500,
    attributes: new Map([['service.version', `1.${row % 3}`]]),
  };
}
