import { saveFile } from './file.ts';

type Cell = string | number | null;

/** A table as CSV (RFC 4180): cells with commas, quotes or line ends in quotes. */
export function csvText(rows: readonly (readonly Cell[])[]): string {
  return rows.map((row) => row.map(cellText).join(',')).join('\r\n');
}

function cellText(cell: Cell): string {
  if (cell === null) return '';
  const text = String(cell);
  // A cell that begins so would be worked out by a spreadsheet.
  const safe = typeof cell === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

/** Has the browser save a table as a CSV file. */
export function saveCsv(name: string, rows: readonly (readonly Cell[])[]): void {
  saveFile(`${name}.csv`, new Blob([csvText(rows)], { type: 'text/csv;charset=utf-8' }));
}
