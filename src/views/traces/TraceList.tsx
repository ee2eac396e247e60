import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, useState } from 'react';
import type { TraceListItem } from '../../api/traces/list.ts';
import { clockTimeExact, dayOf } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { colourOf, ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { type State, StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useStripes, type useTraceList } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './TraceList.module.css';

const ROW = 30;
/** Rows drawn before the browser has measured. */
const FIRST_ROWS = 18;

interface TraceListProps {
  readonly list: ReturnType<typeof useTraceList>;
  /** The longest duration of all, nanoseconds: the full length of a row's bar. */
  readonly longest: number;
}

/** The traces themselves, a row each; more are fetched as the end comes near. */
export function TraceList({ list, longest }: TraceListProps) {
  const { href } = useScope();
  const rows = list.data?.pages.flatMap((page) => page.traces) ?? [];
  const scroller = useRef<HTMLDivElement>(null);
  const [chosen, setChosen] = useState<number>();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    initialRect: { width: 872, height: FIRST_ROWS * ROW },
  });
  const items = virtual.getVirtualItems();
  const lastSeen = items.at(-1)?.index ?? 0;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = list;
  useEffect(() => {
    if (hasNextPage && !isFetchingNextPage && lastSeen >= rows.length - 20) void fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage, lastSeen, rows.length]);

  const stripes = useStripes(items.map(({ index }) => rows[index].traceId));
  const step = (by: number) => {
    if (rows.length === 0) return;
    const next = chosen === undefined ? 0 : Math.min(Math.max(chosen + by, 0), rows.length - 1);
    setChosen(next);
    virtual.scrollToIndex(next);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    [
      'Enter',
      (event) => {
        // A button or link that has the focus takes its own Enter.
        if (event.target instanceof HTMLButtonElement || event.target instanceof HTMLAnchorElement) return;
        if (chosen !== undefined && rows[chosen]) location.href = href(`/traces/${rows[chosen].traceId}`);
      },
      { preventDefault: false },
    ],
    ['Escape', () => setChosen(undefined)],
  ]);

  return (
    <div className={styles.list} data-stale={list.isPlaceholderData}>
      <div className={styles.head} aria-hidden="true">
        <span />
        <span>began</span>
        <span>entry</span>
        <span>took</span>
        <span className={styles.number}>spans</span>
        <span>its time, by service</span>
      </div>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
      <div ref={scroller} className={styles.scroller} tabIndex={0} role="list" aria-label="Traces">
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {items.map(({ index, start }) => (
            <Row
              key={rows[index].traceId}
              trace={rows[index]}
              top={start}
              longest={longest}
              stripe={stripes.get(rows[index].traceId) ?? []}
              chosen={chosen === index}
              href={href(`/traces/${rows[index].traceId}`)}
            />
          ))}
        </div>
        {isFetchingNextPage && <p className={styles.more}>fetching more …</p>}
      </div>
    </div>
  );
}

interface RowProps {
  readonly trace: TraceListItem;
  readonly top: number;
  readonly longest: number;
  /** How much of its critical path each service has. */
  readonly stripe: readonly { readonly service: string; readonly share: number }[];
  readonly chosen: boolean;
  readonly href: string;
}

function Row({ trace, top, longest, stripe, chosen, href }: RowProps) {
  const zone = useZone();
  const began = Date.parse(trace.start);
  return (
    <div role="listitem" className={styles.row} style={{ top }}>
      <a className={styles.link} href={href} data-chosen={chosen} title={trace.traceId} suppressHydrationWarning>
        <StateGlyph state={stateOf(trace)} />
        <span className="mono dim" title={dayOf(began, zone)}>
          {clockTimeExact(began, zone)}
        </span>
        <span className={styles.entry}>
          <ServiceMark service={trace.service} /> {shownName(trace.service)} <b>{shownName(trace.operation)}</b>
        </span>
        <span className={styles.took}>
          <span className={styles.bar} style={{ width: `${Math.max(0.5, (100 * trace.durationNs) / (longest || 1))}%` }} />
          <span className="mono">{formatDuration(trace.durationNs)}</span>
        </span>
        <span className={`mono ${styles.number}`}>
          {trace.failedSpanCount > 0 && <span className={styles.failed}>{trace.failedSpanCount} of </span>}
          {trace.spanCount}
        </span>
        <span className={styles.through} title={stripe.length > 0 ? stripeWords(stripe) : trace.services.join(', ')}>
          {stripe.map(({ service, share }) => (
            <i key={service} style={{ width: `${100 * share}%`, background: colourOf(service) }} />
          ))}
          <span className="unseen">{trace.services.join(', ')}</span>
        </span>
      </a>
    </div>
  );
}

function stripeWords(stripe: RowProps['stripe']): string {
  return stripe
    .filter(({ share }) => share >= 0.01)
    .map(({ service, share }) => `${service} ${Math.round(100 * share)} %`)
    .join(', ');
}

function stateOf({ failed, failedSpanCount }: TraceListItem): State {
  if (failed) return 'failing';
  return failedSpanCount > 0 ? 'strained' : 'calm';
}
