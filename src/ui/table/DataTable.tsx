import { type ColumnDef, getCoreRowModel, getSortedRowModel, type SortingState, useReactTable } from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import { type KeyboardEvent, type ReactNode, useMemo, useRef, useState } from 'react';
import { MenuButton } from '../menu/MenuButton.tsx';
import type { MenuEntry } from '../menu/menuEntry.ts';
import { saveCsv } from '../save/csv.ts';
import { saveFile } from '../save/file.ts';
import styles from './DataTable.module.css';
import { compareValues, shownData, type TableColumn } from './tableColumn.ts';

interface DataTableProps<Row> {
  /** What the table shows, in words; also the name of a saved file. */
  readonly title: string;
  readonly columns: readonly TableColumn<Row>[];
  readonly rows: readonly Row[];
  readonly rowKey: (row: Row) => string;
  /** The column that it is sorted by at first, in descending order; the order of the rows by default. */
  readonly sortedBy?: string;
  readonly isChosen?: (row: Row) => boolean;
  /** What Enter does with a row. */
  readonly open?: (row: Row) => void;
  /** Whether what is shown is being brought up to date. */
  readonly stale?: boolean;
  /** Beside the menu: what the table is about. */
  readonly bar?: ReactNode;
  /** As high as its rows, without a scroller of its own. */
  readonly whole?: boolean;
}

const ROW_HEIGHT = 30;
/** Rows drawn before the browser has measured. */
const FIRST_ROWS = 24;

/** A table of any length: columns that sort and can be chosen, rows that are walked by keyboard, saved as CSV or JSON as shown. */
export function DataTable<Row>({
  title,
  columns,
  rows,
  rowKey,
  sortedBy,
  isChosen = () => false,
  open,
  stale = false,
  bar,
  whole = false,
}: DataTableProps<Row>) {
  const [sorting, setSorting] = useState<SortingState>(sortedBy ? [{ id: sortedBy, desc: true }] : []);
  /** What was chosen of columns; the others are as they are by default. */
  const [chosen, setChosen] = useState<Readonly<Record<string, boolean>>>({});
  const isShown = ({ key, hidden }: TableColumn<Row>) => chosen[key] ?? hidden !== true;
  const [at, setAt] = useState<number>();
  const definitions = useMemo(
    () =>
      columns.map(
        (column): ColumnDef<Row> => ({
          id: column.key,
          accessorFn: column.value,
          // The table turns the order round itself; what has no value stays last.
          sortingFn: (a, b, id) => {
            const down = sorting[0]?.desc === true;
            const order = compareValues(a.getValue(id), b.getValue(id), down);
            return down ? -order : order;
          },
        }),
      ),
    [columns, sorting],
  );
  const table = useReactTable({
    data: rows as Row[],
    columns: definitions,
    state: { sorting },
    onSortingChange: setSorting,
    getRowId: rowKey,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const sorted = table.getRowModel().rows;
  const shown = columns.filter(isShown);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: sorted.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: whole ? sorted.length : 12,
    initialRect: { width: 872, height: FIRST_ROWS * ROW_HEIGHT },
  });
  const items = virtual.getVirtualItems();
  const above = items[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);

  const step = (by: number) => {
    if (sorted.length === 0) return;
    const next = at === undefined ? 0 : Math.min(Math.max(at + by, 0), sorted.length - 1);
    setAt(next);
    virtual.scrollToIndex(next);
  };
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const isControl = event.target instanceof HTMLButtonElement || event.target instanceof HTMLAnchorElement;
    if (event.key === 'j' || event.key === 'ArrowDown') step(1);
    else if (event.key === 'k' || event.key === 'ArrowUp') step(-1);
    else if (event.key === 'Enter' && !isControl && at !== undefined && sorted[at]) open?.(sorted[at].original);
    else if (event.key === 'Escape' && at !== undefined) setAt(undefined);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const asData = () =>
    shownData(
      title,
      location.href,
      shown,
      sorted.map(({ original }) => original),
    );
  const entries: MenuEntry[] = [
    ...columns.slice(1).map((column) => ({
      key: column.key,
      words: `${isShown(column) ? '✓' : '–'} ${column.title}`,
      act: () => setChosen({ ...chosen, [column.key]: !isShown(column) }),
      stays: true,
    })),
    { line: 'saving' },
    { pins: 'table', data: asData },
    {
      key: 'csv',
      words: 'save as CSV',
      act: () => {
        const { columns: names, rows: cells } = asData();
        saveCsv(title, [names, ...cells]);
      },
    },
    {
      key: 'json',
      words: 'save as JSON',
      act: () => saveFile(`${title}.json`, new Blob([JSON.stringify(asData(), null, 1)], { type: 'application/json' })),
    },
  ];
  return (
    <div className={styles.table} data-whole={whole}>
      <div className={styles.bar}>
        {bar}
        <MenuButton className={styles.menu} label={`columns, save: ${title}`} entries={entries}>
          columns, save
        </MenuButton>
      </div>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
      <section ref={scroller} className={styles.scroller} tabIndex={0} onKeyDown={press} aria-label={title}>
        <table data-stale={stale} aria-rowcount={sorted.length + 1}>
          <thead>
            <tr>
              {shown.map(({ key, title: name, about, align }) => {
                const direction = sorting[0]?.id === key ? (sorting[0].desc ? 'descending' : 'ascending') : undefined;
                return (
                  <th key={key} aria-sort={direction} title={about} data-align={align}>
                    <button
                      type="button"
                      onClick={() =>
                        setSorting([{ id: key, desc: direction === undefined ? align !== 'left' : direction === 'ascending' }])
                      }
                    >
                      {name}
                      {direction === 'descending' ? ' ↓' : direction === 'ascending' ? ' ↑' : ''}
                    </button>
                  </th>
                );
              })}
            </tr>
          </thead>
          <tbody>
            {above > 0 && <tr style={{ height: above }} />}
            {items.map(({ index }) => {
              const { id, original } = sorted[index];
              return (
                <tr key={id} data-chosen={isChosen(original)} data-at={index === at} aria-rowindex={index + 2}>
                  {shown.map(({ key, cell, value, align }) => (
                    <td key={key} data-align={align}>
                      {cell ? cell(original) : (value(original) ?? '–')}
                    </td>
                  ))}
                </tr>
              );
            })}
            {below > 0 && <tr style={{ height: below }} />}
          </tbody>
        </table>
      </section>
    </div>
  );
}
