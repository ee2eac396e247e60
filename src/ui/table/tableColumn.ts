import type { ReactNode } from 'react';

/** What a cell is worth: sorted by, and saved. null where there is none. */
export type CellValue = number | string | null;

/** A column of a table: what it is worth in each row, and how that is shown. */
export interface TableColumn<Row> {
  /** Unique in its table; also the name of the column in a saved file. */
  readonly key: string;
  readonly title: string;
  /** What it says, for those who point at the title. */
  readonly about?: string;
  readonly value: (row: Row) => CellValue;
  /** How it is shown; the value as text by default. */
  readonly cell?: (row: Row) => ReactNode;
  /** Texts stand left, numbers right. */
  readonly align?: 'left';
  /** Whether it is hidden until it is chosen. */
  readonly hidden?: boolean;
  /** Further values that a saved file has beside it: name and value. */
  readonly beside?: readonly (readonly [name: string, value: (row: Row) => CellValue])[];
}

/** A picture or table as data: what a saved file holds, and what can be pinned. Enough to draw it again, and to lead back to it. */
export interface ShownData {
  readonly title: string;
  /** The address that shows it, with its scope. */
  readonly link: string;
  readonly columns: readonly string[];
  readonly rows: readonly (readonly CellValue[])[];
}

/** A table as data, in the order in which it is shown. @param link the address that shows it */
export function shownData<Row>(
  title: string,
  link: string,
  columns: readonly TableColumn<Row>[],
  rows: readonly Row[],
): ShownData {
  const all = columns.flatMap(({ key, value, beside = [] }) => [[key, value] as const, ...beside]);
  return { title, link, columns: all.map(([name]) => name), rows: rows.map((row) => all.map(([, value]) => value(row))) };
}

/** In which order two values stand, ascending; those without a value come last either way. */
export function compareValues(a: CellValue, b: CellValue, down: boolean): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  const order =
    typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b), 'en', { numeric: true });
  return down ? -order : order;
}
