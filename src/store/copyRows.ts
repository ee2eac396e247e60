import { finished } from 'node:stream/promises';
import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { VarintWriter } from '../core/measures/varint.ts';

export type Cell = string | number | bigint | boolean | null | Uint8Array | readonly (string | number)[];

/** Adds rows to a table by COPY, each a list of cells in the order of the columns. */
export async function copyRows(
  client: pg.PoolClient,
  table: string,
  columns: readonly string[],
  rows: readonly (readonly Cell[])[],
): Promise<void> {
  const lines: string[] = [];
  for (let from = 0; from < rows.length; from += CHUNK)
    lines.push(
      rows
        .slice(from, from + CHUNK)
        .map(copyLine)
        .join(''),
    );
  await copyLines(client, table, columns, lines);
}

/** Rows that are handed over at a time. */
const CHUNK = 500;

/** Adds rows to a table by COPY. @param lines each a row of `copyLine`, or several one after the other */
export async function copyLines(
  client: pg.PoolClient,
  table: string,
  columns: readonly string[],
  lines: readonly string[],
): Promise<void> {
  if (lines.length === 0) return;
  const names = columns.map((name) => `"${name}"`).join(', ');
  const copy = client.query(copyFrom(`COPY ${table} (${names}) FROM STDIN`));
  const done = finished(copy);
  // They are in memory already, so there is nothing to hold back.
  for (const text of lines) copy.write(text);
  copy.end();
  await done;
}

/** A row in PostgreSQL's COPY text format. */
export function copyLine(row: readonly Cell[]): string {
  let text = '';
  for (let column = 0; column < row.length; column++) text += (column === 0 ? '' : '\t') + cellText(row[column]);
  return `${text}\n`;
}

/** A cell in PostgreSQL's COPY text format. */
export function cellText(cell: Cell): string {
  if (cell === null) return '\\N';
  if (typeof cell === 'string') return escaped(cell);
  if (cell instanceof Uint8Array) return `\\\\x${Buffer.from(cell.buffer, cell.byteOffset, cell.length).toString('hex')}`;
  if (typeof cell === 'object') return escaped(`{${cell.map(element).join(',')}}`);
  return String(cell);
}

/** What was written, in hex. */
export function hexOf({ bytes, length }: VarintWriter): string {
  return Buffer.from(bytes.buffer, 0, length).toString('hex');
}

function element(value: string | number): string {
  return typeof value === 'number' ? String(value) : `"${value.replace(/["\\]/g, '\\$&')}"`;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

function escaped(text: string): string {
  return /[\\\t\n\r]/.test(text) ? text.replace(/[\\\t\n\r]/g, (char) => ESCAPES[char]) : text;
}
