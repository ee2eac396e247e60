import type { Cell, Evidence, Unit } from '../../core/casebook/evidence/evidence.ts';
import type { ShownData } from '../table/tableColumn.ts';

/** Rows of a picture or table that are copied. */
const MOST_ROWS = 500;
const MOST_COLUMNS = 40;
const LONGEST_CELL = 2_000;
const TIME = /^\d{4}-\d\d-\d\dT/;

/** A picture or table of a page as evidence: values over time where its rows are times, else a table. */
export function shownEvidence({ title, columns, rows }: Pick<ShownData, 'title' | 'columns' | 'rows'>): Evidence {
  const shown = rows.slice(0, MOST_ROWS).map((row) => row.slice(0, MOST_COLUMNS).map(cellOf));
  const isTime = (at: number) => shown.length > 0 && shown.every((row) => row[at] === null || TIME.test(String(row[at])));
  const units = columns
    .slice(0, MOST_COLUMNS)
    .map((_, at): Unit => (isTime(at) ? 'time' : shown.every((row) => typeof row[at] !== 'string') ? 'number' : 'text'));
  const cells = shown.map((row) =>
    row.map((cell, at) => (units[at] === 'time' && cell !== null ? Date.parse(String(cell)) : cell)),
  );
  return (
    seriesOf(title, columns, units, cells) ?? {
      form: 'table',
      title,
      columns: units.map((unit, at) => ({ title: columns[at], unit })),
      rows: cells,
      leftOut: Math.max(0, rows.length - MOST_ROWS),
    }
  );
}

const FEWEST_STEPS = 4;

/** Rows whose first cell is a time, a step apart each, and whose others are numbers: values over time. */
function seriesOf(
  title: string,
  columns: readonly string[],
  units: readonly Unit[],
  rows: readonly (readonly Cell[])[],
): Evidence | undefined {
  const times = rows.map(([at]) => at);
  if (units[0] !== 'time' || units.slice(1).some((unit) => unit !== 'number') || rows.length < FEWEST_STEPS || units.length < 2)
    return undefined;
  const [first, second] = times as number[];
  const stepMs = second - first;
  if (!(stepMs > 0) || times.some((at, index) => at !== first + index * stepMs)) return undefined;
  return {
    form: 'series',
    title,
    unit: 'number',
    from: first,
    stepMs,
    lines: columns.slice(1, units.length).map((name, at) => ({
      name,
      role: /\bbefore\b/.test(name) ? 'before' : 'lit',
      values: rows.map((row) => row[at + 1] as number | null),
    })),
    lit: null,
  };
}

function cellOf(value: Cell): Cell {
  return typeof value === 'string' ? value.slice(0, LONGEST_CELL) : Number.isFinite(value) ? value : null;
}
