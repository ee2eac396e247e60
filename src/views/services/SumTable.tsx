import type { ReactNode } from 'react';
import type { SumAnswer } from '../../api/map/map.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { type State, StateGlyph } from '../../ui/list/StateGlyph.tsx';
import styles from './Service.module.css';

export interface SumRow {
  readonly key: string;
  readonly name: ReactNode;
  readonly lit: SumAnswer;
  readonly before: SumAnswer;
  readonly state: State;
  /** Further cells. */
  readonly rest?: readonly ReactNode[];
}

interface SumTableProps {
  readonly head: string;
  readonly rows: readonly SumRow[];
  readonly restHeads?: readonly string[];
  /** Whether calls × mean stands among the columns. */
  readonly total?: boolean;
}

/** Sums of calls, lit with what they were before. */
export function SumTable({ head, rows, restHeads = [], total = false }: SumTableProps) {
  return (
    <table className={styles.table}>
      <thead>
        <tr>
          <th>{head}</th>
          <th>calls</th>
          <th>failing</th>
          <th>mean</th>
          <th>p95</th>
          {total && <th title="calls × mean">in all</th>}
          {restHeads.map((it) => (
            <th key={it}>{it}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(({ key, name, lit, before, state, rest = [] }) => (
          <tr key={key}>
            <td>
              <StateGlyph state={state} /> {name}
            </td>
            <td>{formatCount(lit.calls)}</td>
            <td>{pair(lit, before, ({ calls, failures }) => (calls === 0 ? null : failures / calls), formatShare)}</td>
            <td>{pair(lit, before, (it) => it.meanNs, formatDuration)}</td>
            <td>{pair(lit, before, (it) => it.p95Ns, formatDuration)}</td>
            {total && <td>{pair(lit, before, (it) => it.calls * (it.meanNs ?? 0), formatDuration)}</td>}
            {rest.map((cell, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: cells are their columns
              <td key={at}>{cell}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function pair(
  lit: SumAnswer,
  before: SumAnswer,
  of: (sum: SumAnswer) => number | null,
  words: (value: number) => string,
): string {
  const [now, then] = [of(lit), of(before)];
  if (now === null) return then === null ? '–' : `${words(then)} → –`;
  if (then === null || words(then) === words(now)) return words(now);
  return `${words(then)} → ${words(now)}`;
}
