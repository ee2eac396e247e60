import { useElementSize } from '@mantine/hooks';
import { scaleLinear } from 'd3-scale';
import type { TraceComparison } from '../../api/traces/compare.ts';
import { formatDuration, shortDuration } from '../../core/time/duration.ts';
import { colourOf, ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Compare.module.css';
import { signed, standing } from './words.ts';

const RIGHT = 16;
const INDENT = 13;
const DEEPEST = 11;
/** More rows than this are not drawn; "only what differs" leaves few. */
const MOST_ROWS = 600;

interface ComparedRowsProps {
  readonly comparison: TraceComparison;
  /** The rows that are shown; all without it. */
  readonly shown: ReadonlySet<number> | undefined;
  readonly longest: number;
}

/** The structure of both, a row a place: the other side's bar above, this side's below, and what the place adds to the difference. */
export function ComparedRows({ comparison, shown, longest }: ComparedRowsProps) {
  const { href } = useScope();
  const { ref, width: measured } = useElementSize<HTMLDivElement>();
  const width = Math.max(120, (measured || 470) - RIGHT);
  const x = scaleLinear([0, longest], [0, width]);
  const { rows, b } = comparison;
  const kept = rows.flatMap((row, at) => (shown && !shown.has(at) ? [] : [{ row, at }]));
  return (
    <div className={styles.table} role="table" aria-label="Both, by structure">
      <div className={styles.row} role="row" data-head="true">
        <span role="columnheader">place</span>
        <span role="columnheader" className={styles.number}>
          spans
        </span>
        <span
          role="columnheader"
          className={styles.number}
          title="What these spans themselves add to the difference, along the critical path"
        >
          adds
        </span>
        <div role="columnheader" ref={ref} className={styles.axis}>
          <svg width={width + RIGHT} height={22} aria-hidden="true">
            {x.ticks(6).map((tick) => (
              <text key={tick} x={x(tick) + 3} y={15}>
                {shortDuration(tick)}
              </text>
            ))}
          </svg>
        </div>
      </div>
      <div className={styles.rows}>
        {kept.slice(0, MOST_ROWS).map(({ row, at }) => {
          const difference = (row.b?.pathNs ?? 0) - (row.a?.pathNs ?? 0);
          const how = standing(row);
          const link = row.b?.spanId ? `${href(`/traces/${b.traceId}`)}&span=${row.b.spanId}` : undefined;
          return (
            <div key={at} className={styles.row} role="row" data-how={how}>
              <span role="cell" className={styles.place} style={{ paddingLeft: Math.min(row.depth, DEEPEST) * INDENT }}>
                <ServiceMark service={row.service} />
                <span className={styles.name} title={`${row.service} ${row.operation}`}>
                  <b>{shownName(row.service)}</b>{' '}
                  {link ? (
                    <a href={link} suppressHydrationWarning>
                      {shownName(row.operation)}
                    </a>
                  ) : (
                    shownName(row.operation)
                  )}
                </span>
                {(how === 'new' || how === 'missing') && <span className={styles.tag}>{how}</span>}
              </span>
              <span role="cell" className={`mono ${styles.number}`}>
                {countWords(row)}
              </span>
              <span role="cell" className={`mono ${styles.number} ${styles.adds}`} data-how={how}>
                {Math.abs(difference) < 1000 ? '' : signed(difference)}
              </span>
              <svg role="cell" width={width + RIGHT} height={28} aria-label={barWords(row)}>
                {row.a && (
                  <rect
                    x={x(row.a.startNs)}
                    y={5}
                    width={Math.max(2, x(row.a.endNs) - x(row.a.startNs))}
                    height={7}
                    rx={2}
                    className={styles.other}
                    opacity={0.35 + 0.65 * row.a.presence}
                  />
                )}
                {row.b && (
                  <rect
                    x={x(row.b.startNs)}
                    y={15}
                    width={Math.max(2, x(row.b.endNs) - x(row.b.startNs))}
                    height={8}
                    rx={2}
                    fill={colourOf(row.service)}
                  />
                )}
              </svg>
            </div>
          );
        })}
        {kept.length > MOST_ROWS && <p className="dim">and {kept.length - MOST_ROWS} more places</p>}
      </div>
    </div>
  );
}

function countWords({ a, b }: TraceComparison['rows'][number]): string {
  const text = (count: number) => (Number.isInteger(count) ? String(count) : count.toFixed(1));
  const [before, now] = [text(a?.count ?? 0), text(b?.count ?? 0)];
  return before === now ? now : `${before} → ${now}`;
}

function barWords({ a, b }: TraceComparison['rows'][number]): string {
  const text = (side: typeof a) => (side ? formatDuration(Math.round(side.totalNs)) : 'none');
  return `${text(a)} → ${text(b)}`;
}
