import { useState } from 'react';
import type { GroupFigures, TraceGroups } from '../../api/traces/groups.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip, withoutField } from '../../core/scope/scope.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { useFields } from '../../ui/queries/fields.ts';
import { useTraceGroups } from '../../ui/queries/traces.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './GroupTable.module.css';

type Group = TraceGroups['groups'][number];

/** What requests can always be grouped by, beside attributes. */
const OWN = ['entry', 'service', 'operation', 'outcome', 'user'];

const COLUMNS = [
  { key: 'calls', title: 'calls', about: 'Requests in the lit window' },
  { key: 'failed', title: 'failed', about: 'Requests that failed' },
  { key: 'meanNs', title: 'mean', about: 'Mean duration' },
  { key: 'p50Ns', title: 'p50', about: 'Half took less' },
  { key: 'p95Ns', title: 'p95', about: '19 of 20 took less' },
  { key: 'p99Ns', title: 'p99', about: '99 of 100 took less' },
  { key: 'totalNs', title: 'calls × mean', about: 'All the time they took together' },
  { key: 'change', title: 'mean, before → lit', about: 'How the mean changed against the before window' },
] as const;
type ColumnKey = (typeof COLUMNS)[number]['key'];

/** Requests by what they have in common: how often, how long, how much in all, and against before; each opens into its requests. */
export function GroupTable({ firstBy }: { firstBy: string }) {
  const { scope, change } = useScope();
  const [by, setBy] = useState(firstBy);
  const [sort, setSort] = useState<{ key: ColumnKey; down: boolean }>({ key: 'totalNs', down: true });
  const fields = useFields(scope, true);
  const answer = useTraceGroups(scope, by);
  const choose = (next: string) => {
    setBy(next);
    const url = new URL(window.location.href);
    url.searchParams.set('by', next);
    history.replaceState(null, '', url);
  };
  const rows = [...(answer.data?.groups ?? [])].sort(
    (a, b) => (sort.down ? -1 : 1) * (figureOf(a, sort.key) - figureOf(b, sort.key)),
  );
  const most = Math.max(1, ...rows.map((row) => row.lit.totalNs));
  const attributes = fields.data?.fields.filter(({ distinct }) => distinct > 1).map(({ field }) => field) ?? [];
  return (
    <div className={styles.groups}>
      <div className={styles.bar}>
        <label>
          by{' '}
          <select value={by} onChange={(event) => choose(event.target.value)}>
            <optgroup label="The request">
              {OWN.map((it) => (
                <option key={it}>{it}</option>
              ))}
            </optgroup>
            <optgroup label="An attribute of any span">
              {[...new Set([...(OWN.includes(by) ? [] : [by]), ...attributes])].map((it) => (
                <option key={it}>{it}</option>
              ))}
            </optgroup>
          </select>
        </label>
        <span className="dim">
          {answer.data ? `${rows.length.toLocaleString('en')} ${rows.length === 1 ? 'group' : 'groups'}` : 'Counting …'}
          {answer.data?.many && '; some values are too long or too many to list'}
        </span>
        <button type="button" disabled={rows.length === 0} onClick={() => saveCsv(`requests by ${by}`, csvOf(by, rows))}>
          save as CSV
        </button>
      </div>
      {answer.error && !answer.data && <p className="dim">{answer.error.message}</p>}
      <div className={styles.scroller}>
        <table data-stale={answer.isPlaceholderData}>
          <thead>
            <tr>
              <th>{by}</th>
              {COLUMNS.map(({ key, title, about }) => (
                <th key={key} aria-sort={sort.key === key ? (sort.down ? 'descending' : 'ascending') : undefined} title={about}>
                  <button type="button" onClick={() => setSort({ key, down: sort.key === key ? !sort.down : true })}>
                    {title}
                    {sort.key === key ? (sort.down ? ' ↓' : ' ↑') : ''}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.value ?? ''}>
                <td>
                  {row.value === null ? (
                    <span className="dim">without one</span>
                  ) : (
                    <button type="button" title={`Narrow to ${row.value}`} onClick={() => change(narrowed(row.value!))}>
                      {row.value === '' ? '(empty)' : row.value}
                    </button>
                  )}
                </td>
                <td>{row.lit.calls.toLocaleString('en')}</td>
                <td data-failed={row.lit.failed > 0}>
                  {row.lit.failed > 0 ? `${row.lit.failed.toLocaleString('en')} · ${percent(row.lit)}` : '0'}
                </td>
                <td>{duration(row.lit.meanNs)}</td>
                <td>{duration(row.lit.p50Ns)}</td>
                <td>{duration(row.lit.p95Ns)}</td>
                <td>{duration(row.lit.p99Ns)}</td>
                <td className={styles.total}>
                  <span style={{ width: `${(100 * row.lit.totalNs) / most}%` }} />
                  {duration(row.lit.totalNs)}
                </td>
                <td className={styles.change}>{changeWords(row)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );

  function narrowed(value: string) {
    if (by === 'outcome') return withChip(scope, condition('failed', 'is', value === 'fine' ? 'no' : 'yes'));
    if (by === 'operation') {
      const [service, ...name] = value.split(' ');
      return withChip(
        withChip(withoutField(scope, 'operation'), condition('service', 'is', service)),
        condition('operation', 'is', name.join(' ')),
      );
    }
    return withChip(scope, condition(by, 'is', value));
  }
}

function figureOf({ lit, before }: Group, key: ColumnKey): number {
  if (key === 'change')
    return before.meanNs === null || lit.meanNs === null ? Number.NEGATIVE_INFINITY : lit.meanNs / before.meanNs;
  return lit[key] ?? Number.NEGATIVE_INFINITY;
}

function duration(ns: number | null): string {
  return ns === null ? '–' : formatDuration(Math.round(ns));
}

function percent({ failed, calls }: GroupFigures): string {
  return `${((100 * failed) / calls).toPrecision(2)} %`;
}

function changeWords({ lit, before }: Group): string {
  if (before.meanNs === null || lit.meanNs === null) return 'not before';
  const ratio = lit.meanNs / before.meanNs;
  const times = ratio >= 1.05 || ratio <= 0.95 ? ` · ${ratio >= 10 ? Math.round(ratio) : ratio.toFixed(1)}×` : '';
  return `${duration(before.meanNs)} → ${duration(lit.meanNs)}${times}`;
}

function csvOf(by: string, rows: readonly Group[]): (string | number | null)[][] {
  const of = (figures: GroupFigures) => [
    figures.calls,
    figures.failed,
    figures.meanNs,
    figures.p50Ns,
    figures.p95Ns,
    figures.p99Ns,
    figures.totalNs,
  ];
  const names = ['calls', 'failed', 'mean ns', 'p50 ns', 'p95 ns', 'p99 ns', 'total ns'];
  return [
    [by, ...names, ...names.map((name) => `before ${name}`)],
    ...rows.map(({ value, lit, before }) => [value, ...of(lit), ...of(before)]),
  ];
}
