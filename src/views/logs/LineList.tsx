import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import type { LogLine } from '../../api/logs/lines.ts';
import { clockTimeExact } from '../../core/time/clock.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Logs.module.css';
import { SeverityMark } from './SeverityMark.tsx';
import { harmless, shortened } from './words.ts';

interface LineListProps {
  readonly lines: readonly LogLine[];
  readonly chosen: string;
  readonly choose: (line: LogLine) => void;
  readonly wrap: boolean;
  /** Fields that stand before the text. */
  readonly columns: readonly string[];
  readonly more: () => void;
  readonly hasMore: boolean;
  readonly isFetching: boolean;
  /** Whether the end is kept in sight while lines come. */
  readonly follows?: boolean;
}

const ROW = 24;

/** Lines, virtual and endless. */
export function LineList({ lines, chosen, choose, wrap, columns, more, hasMore, isFetching, follows = false }: LineListProps) {
  const zone = useZone();
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    getItemKey: (at) => lines[at].id,
    overscan: 20,
    initialRect: { width: 872, height: 500 },
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (!follows && hasMore && !isFetching && last >= lines.length - 30) more();
  }, [follows, hasMore, isFetching, last, lines.length, more]);
  useEffect(() => {
    if (follows && lines.length > 0) virtual.scrollToIndex(lines.length - 1, { align: 'end' });
  }, [follows, lines.length, virtual]);
  const at = lines.findIndex(({ id }) => id === chosen);
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [at, virtual]);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <div className={styles.lines} ref={scroller} tabIndex={0} role="group" aria-label="Lines" data-wrap={wrap}>
      <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {items.map((item) => {
          const it = lines[item.index];
          return (
            <button
              key={item.key}
              type="button"
              data-columns={columns.length}
              data-index={item.index}
              ref={wrap ? virtual.measureElement : undefined}
              className={styles.line}
              data-chosen={it.id === chosen}
              aria-pressed={it.id === chosen}
              style={{ transform: `translateY(${item.start}px)` }}
              onClick={() => choose(it)}
            >
              <span className="mono">{clockTimeExact(Date.parse(it.at), zone)}</span>
              <SeverityMark severity={it.severity} />
              <span className={styles.who}>
                <ServiceMark service={it.service} height={10} /> {it.instance || it.service}
              </span>
              {columns.length > 0 && (
                <span className={styles.columnValues}>
                  {columns.map((field, column) => (
                    <span key={field} title={field}>
                      {harmless(shortened(it.fields[column] ?? '', 24))}
                    </span>
                  ))}
                </span>
              )}
              <span className={styles.text}>{harmless(wrap ? it.text : shortened(it.text.split('\n', 1)[0], 300))}</span>
              {it.text.includes('\n') && !wrap && <small>+{it.text.split('\n').length - 1} lines</small>}
            </button>
          );
        })}
      </div>
      {isFetching && <p className="dim">reading on …</p>}
    </div>
  );
}
