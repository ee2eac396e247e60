import { useState } from 'react';
import type { GroupFigures, TraceGroups } from '../../api/traces/groups.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { type Condition, condition } from '../../core/scope/condition.ts';
import { withChip, withoutField } from '../../core/scope/scope.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { useFields } from '../../ui/queries/fields.ts';
import { useTraceGroups } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import styles from './GroupTable.module.css';

type Group = TraceGroups['groups'][number];

/** What requests can always be grouped by, beside attributes. */
const OWN = ['entry', 'service', 'operation', 'outcome', 'user'];

/** Requests by what they have in common: how often, how long, how much in all, and against before; each opens into its requests. */
export function GroupTable({ firstBy }: { firstBy: string }) {
  const { scope, change, href } = useScope();
  const [by, setBy] = useState(firstBy);
  const fields = useFields(scope, true);
  const answer = useTraceGroups(scope, by);
  const choose = (next: string) => {
    setBy(next);
    const url = new URL(window.location.href);
    url.searchParams.set('by', next);
    history.replaceState(null, '', url);
  };
  const rows = answer.data?.groups ?? [];
  const most = Math.max(1, ...rows.map((row) => row.lit.totalNs));
  const attributes = fields.data?.fields.filter(({ distinct }) => distinct > 1).map(({ field }) => field) ?? [];
  return (
    <div className={styles.groups}>
      {answer.error && !answer.data && <p className="dim">{answer.error.message}</p>}
      <DataTable
        title={`requests by ${by}`}
        columns={columnsOf({ by, most, narrow, contrast })}
        rows={rows}
        rowKey={({ value }) => (value === null ? 'without one' : `is ${value}`)}
        sortedBy="total ns"
        open={narrow}
        stale={answer.isPlaceholderData}
        bar={
          <>
            <label className={styles.by}>
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
              {answer.data ? `${formatCount(rows.length)} ${rows.length === 1 ? 'group' : 'groups'}` : 'Counting …'}
              {answer.data?.many && '; some values are too long or too many to list'}
            </span>
          </>
        }
      />
    </div>
  );

  function narrow(group: Group) {
    change(conditionsOf(group).reduce((next, it) => withChip(withoutField(next, it.field), it), scope));
  }

  function contrast(group: Group): string {
    return contrastPath(href, { how: 'sets', a: conditionsOf(group) });
  }
}

function conditionsOf({ where }: Group): Condition[] {
  return where.map((it) => condition(it.field, it.operator, ...it.values));
}

interface GroupColumns {
  readonly by: string;
  /** The largest time of all together, nanoseconds. */
  readonly most: number;
  /** Narrows to the requests of a group. */
  readonly narrow: (group: Group) => void;
  /** The address of the contrast of a group's requests with all others. */
  readonly contrast: (group: Group) => string;
}

function columnsOf({ by, most, narrow, contrast }: GroupColumns): TableColumn<Group>[] {
  const figure = (key: keyof GroupFigures, name: string, title: string, about: string): TableColumn<Group> => ({
    key: name,
    title,
    about,
    value: ({ lit }) => lit[key],
    cell: ({ lit }) => (key === 'calls' ? formatCount(lit.calls) : duration(lit[key])),
    beside: [[`before ${name}`, ({ before }) => before[key]]],
  });
  return [
    {
      key: by,
      title: by,
      align: 'left',
      value: ({ value }) => value,
      cell: (group) => (
        <button type="button" title="Narrow to these" onClick={() => narrow(group)}>
          {group.value === null ? <span className="dim">without one</span> : group.value === '' ? '(empty)' : group.value}
        </button>
      ),
    },
    figure('calls', 'calls', 'calls', 'Requests in the lit window'),
    {
      ...figure('failed', 'failed', 'failed', 'Requests that failed'),
      cell: ({ lit }) => (
        <span data-failed={lit.failed > 0} className={styles.failed}>
          {lit.failed > 0 ? `${formatCount(lit.failed)} · ${percent(lit)}` : '0'}
        </span>
      ),
    },
    figure('meanNs', 'mean ns', 'mean', 'Mean duration'),
    figure('p50Ns', 'p50 ns', 'p50', 'Half took less'),
    figure('p95Ns', 'p95 ns', 'p95', '19 of 20 took less'),
    figure('p99Ns', 'p99 ns', 'p99', '99 of 100 took less'),
    {
      ...figure('totalNs', 'total ns', 'calls × mean', 'All the time they took together'),
      cell: ({ lit }) => (
        <span className={styles.total}>
          <i style={{ width: `${(100 * lit.totalNs) / most}%` }} />
          {duration(lit.totalNs)}
        </span>
      ),
    },
    {
      key: 'change of the mean',
      title: 'mean, before → lit',
      about: 'How the mean changed against the before window',
      value: ({ lit, before }) => (before.meanNs === null || lit.meanNs === null ? null : lit.meanNs / before.meanNs),
      cell: (row) => (
        <span className={styles.change}>
          {changeWords(row)}{' '}
          <a
            href={contrast(row)}
            className={styles.contrast}
            title="What sets these requests apart from all others"
            suppressHydrationWarning
          >
            contrast
          </a>
        </span>
      ),
    },
  ];
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
