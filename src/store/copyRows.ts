import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';

export type Cell = string | number | bigint | boolean | null | Uint8Array | readonly (string | number)[];

/** Adds rows to a table by COPY, each a list of cells in the order of the columns. */
export async function copyRows(
  client: pg.PoolClient,
  table: string,
  columns: readonly string[],
  rows: readonly (readonly Cell[])[],
): Promise<void> {
  if (rows.length === 0) return;
  await pipeline(
    Readable.from(chunks(rows)),
    client.query(copyFrom(`COPY ${table} (${columns.map((name) => `"${name}"`).join(', ')}) FROM STDIN`)),
  );
}

/** PostgreSQL's COPY text format, some rows at a time. */
function* chunks(rows: readonly (readonly Cell[])[]): Generator<string> {
  const CHUNK = 500;
  for (let from = 0; from < rows.length; from += CHUNK) {
    let text = '';
    for (const row of rows.slice(from, from + CHUNK)) text += `${row.map(cellText).join('\t')}\n`;
    yield text;
  }
}

function cellText(cell: Cell): string {
  if (cell === null) return '\\N';
  if (typeof cell === 'string') return escaped(cell);
  if (cell instanceof Uint8Array) return `\\\\x${Buffer.from(cell.buffer, cell.byteOffset, cell.length).toString('hex')}`;
  if (typeof cell === 'object') return escaped(`{${cell.map(element).join(',')}}`);
  return String(cell);
}

function element(value: string | number): string {
  return typeof value === 'number' ? String(value) : `"${value.replace(/["\\]/g, '\\$&')}"`;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

function escaped(text: string): string {
  return /[\\\t\n\r]/.test(text) ? text.replace(/[\\\t\n\r]/g, (char) => ESCAPES[char]) : text;
}
