import type { ReactNode } from 'react';
import type { SumAnswer } from '../../api/map/map.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { type State, StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { STATE_WORDS } from '../../ui/verdict/verdictWords.ts';

/** What was measured of something in both windows. */
export interface SumRow {
  readonly lit: SumAnswer;
  readonly before: SumAnswer;
  readonly state: State;
}

interface SumTableProps<Row extends SumRow> {
  /** What a saved file is called. */
  readonly title: string;
  /** Above the table. */
  readonly heading: ReactNode;
  readonly head: string;
  readonly rows: readonly Row[];
  readonly nameOf: (row: Row) => string;
  readonly rowKey: (row: Row) => string;
  /** The page about a row. */
  /** Where a row leads; rows without it lead nowhere. */
  readonly hrefOf?: (row: Row) => string;
  /** Further columns. */
  readonly more?: readonly TableColumn<Row>[];
  /** Whether calls × mean stands among the columns. */
  readonly total?: boolean;
}

/** Sums of calls, lit with what they were before. */
export function SumTable<Row extends SumRow>({
  title,
  heading,
  head,
  rows,
  nameOf,
  rowKey,
  hrefOf,
  more = [],
  total = false,
}: SumTableProps<Row>) {
  return (
    <DataTable
      title={title}
      whole
      bar={heading}
      rows={rows}
      rowKey={rowKey}
      open={hrefOf && ((row) => location.assign(hrefOf(row)))}
      columns={[
        {
          key: head,
          title: head,
          align: 'left',
          value: nameOf,
          cell: (row) => (
            <>
              <StateGlyph state={row.state} word={STATE_WORDS[row.state]} />{' '}
              {hrefOf ? (
                <a href={hrefOf(row)} suppressHydrationWarning>
                  {nameOf(row)}
                </a>
              ) : (
                nameOf(row)
              )}
            </>
          ),
        },
        { key: 'calls', title: 'calls', value: ({ lit }) => lit.calls, cell: ({ lit }) => formatCount(lit.calls) },
        pairColumn('failing', 'failing', ({ calls, failures }) => (calls === 0 ? null : failures / calls), formatShare),
        pairColumn('mean ns', 'mean', ({ meanNs }) => meanNs, formatDuration),
        pairColumn('p95 ns', 'p95', ({ p95Ns }) => p95Ns, formatDuration),
        ...(total
          ? [pairColumn<Row>('in all ns', 'in all', ({ calls, meanNs }) => calls * (meanNs ?? 0), formatDuration, 'calls × mean')]
          : []),
        ...more,
      ]}
    />
  );
}

/** A figure of both windows: sorted by the lit one, the one before beside it in files. */
function pairColumn<Row extends SumRow>(
  key: string,
  title: string,
  of: (sum: SumAnswer) => number | null,
  words: (value: number) => string,
  about?: string,
): TableColumn<Row> {
  return {
    key,
    title,
    about,
    value: ({ lit }) => of(lit),
    cell: ({ lit, before }) => pair(of(lit), of(before), words),
    beside: [[`${key} before`, ({ before }) => of(before)]],
  };
}

/** A figure before and lit, once where both are the same in words. */
export function pair(now: number | null, then: number | null, words: (value: number) => string): string {
  if (now === null) return then === null ? '–' : `${words(then)} → –`;
  if (then === null || words(then) === words(now)) return words(now);
  return `${words(then)} → ${words(now)}`;
}
