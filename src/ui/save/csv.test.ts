import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { csvText } from './csv.ts';

/** CSV as RFC 4180 describes it, read cell by cell. */
function readCsv(text: string): string[][] {
  const rows: string[][] = [[]];
  let at = 0;
  for (;;) {
    let cell = '';
    if (text[at] === '"') {
      at++;
      while (!(text[at] === '"' && text[at + 1] !== '"')) {
        if (text[at] === '"') at++;
        cell += text[at++];
      }
      at++;
    } else while (at < text.length && text[at] !== ',' && text[at] !== '\r') cell += text[at++];
    rows.at(-1)!.push(cell);
    if (at >= text.length) return rows;
    if (text[at] === ',') at++;
    else {
      expect(text.slice(at, at + 2)).toBe('\r\n');
      at += 2;
      rows.push([]);
    }
  }
}

const cells = fc.oneof(
  fc.constantFrom('a,b', 'say "so"', 'two\nlines', 'two\r\nlines', '', '=1+1', '-3 ms', '@here', '+49', '\tx'),
  fc.string({ maxLength: 12 }),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
  fc.constant(null),
);

describe('a table as CSV', () => {
  it('is read back cell by cell', () => {
    fc.assert(
      fc.property(fc.array(fc.array(cells, { minLength: 3, maxLength: 3 }), { minLength: 1, maxLength: 6 }), (rows) => {
        const read = readCsv(csvText(rows));
        expect(read.length).toBe(rows.length);
        for (const [at, row] of rows.entries())
          for (const [column, cell] of row.entries()) {
            const text = cell === null ? '' : String(cell);
            expect([text, `'${text}`]).toContain(read[at][column]);
          }
      }),
    );
  });

  it('has no cell that a spreadsheet would work out, and numbers as they are', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), (text) => {
        expect(readCsv(csvText([[text]]))[0][0]).not.toMatch(/^[=+\-@\t\r]/);
      }),
    );
    expect(csvText([['=cmd()', -3, 2.5, null]])).toBe("'=cmd(),-3,2.5,");
  });
});
