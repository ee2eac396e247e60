import type { EvidenceTable as Table } from '../../core/casebook/evidence/tableOf.ts';
import { valueText } from '../../core/casebook/evidence/valueText.ts';

/** Rows that are shown before the others are asked for. */
const FIRST = 12;

interface EvidenceTableProps {
  readonly table: Table;
  readonly zone: string;
  readonly first?: number;
  /** On a page: its times are told as others there. */
  readonly today?: number;
}

/** A table of evidence. Beyond the first rows the others are folded away. */
export function EvidenceTable({ table, zone, first = FIRST, today }: EvidenceTableProps) {
  const { columns, rows, leftOut } = table;
  const draw = (from: number, to: number) => (
    <div className="ev-scroll">
      <table>
        <thead>
          <tr>
            {columns.map(({ title, unit }, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the columns are frozen, and two may have one title
              <th key={at} className={unit === 'text' ? '' : 'ev-num'} scope="col">
                {title === '' ? '\u00a0' : title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(from, to).map((row, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the rows are frozen
            <tr key={index}>
              {row.map((cell, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: as the columns
                <td key={at} className={cellClass(columns[at].title, columns[at].unit)}>
                  {valueText(cell, columns[at].unit, zone, today)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
  if (rows.length === 0) return <p className="ev-note">None.</p>;
  return (
    <>
      {draw(0, first)}
      {rows.length > first && (
        <details>
          <summary>{rows.length - first} more rows</summary>
          {draw(first, rows.length)}
        </details>
      )}
      {leftOut > 0 && <p className="ev-note">{leftOut} more were not kept.</p>}
    </>
  );
}

function cellClass(title: string, unit: string): string {
  if (unit === 'text') return '';
  return title.endsWith('before') || title === 'usually' ? 'ev-num ev-before' : 'ev-num';
}
