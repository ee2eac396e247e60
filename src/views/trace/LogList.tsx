import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef } from 'react';
import type { TraceLogs } from '../../api/traces/logs.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { severityOf } from '../../core/logs/severity.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { offsetNs } from '../../core/time/iso.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useTraceLogs } from '../../ui/queries/traces.ts';
import styles from './LogList.module.css';

const ROW = 26;

interface LogListProps {
  readonly trace: TraceTimeline;
  readonly chosen: number;
  readonly choose: (span: number) => void;
}

interface Entry {
  readonly ns: number;
  readonly span: number;
  readonly service: string;
  readonly what: 'begins' | 'event' | 'log';
  readonly level: string;
  readonly text: string;
}

/** What was logged, between the beginnings of the spans and their events, by time. */
export function LogList({ trace, chosen, choose }: LogListProps) {
  const { data, error } = useTraceLogs(trace.traceId);
  const entries = useMemo(() => entriesOf(trace, data), [trace, data]);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: entries.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 20,
    initialRect: { width: 872, height: 560 },
  });
  if (error) return <p className="dim">{error.message}</p>;
  return (
    <>
      <p className={styles.note}>{data ? logWords(data) : 'Looking for what was logged …'}</p>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
      <div ref={scroller} className={styles.list} tabIndex={0} role="list" aria-label="Spans and log records by time">
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map(({ index, start }) => {
            const { ns, span, service, what, level, text } = entries[index];
            return (
              <div key={index} role="listitem" className={styles.entry} style={{ top: start }} data-what={what}>
                <button type="button" disabled={span < 0} aria-pressed={span === chosen} onClick={() => choose(span)}>
                  <span className="mono dim">{formatDuration(Math.max(0, ns))}</span>
                  <ServiceMark service={service} height={12} />
                  <b>{shownName(service)}</b>
                  <span className={`mono ${styles.level}`} data-level={level}>
                    {level}
                  </span>
                  <span className={styles.text} title={text}>
                    {text}
                  </span>
                </button>
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}

function logWords({ total, logs }: TraceLogs): string {
  if (total === 0) return 'No log record names this trace; its spans and their events alone, by time.';
  const shown = total > logs.length ? `the first ${formatCount(logs.length)} of ` : '';
  return `${shown}${formatCount(total)} log ${total === 1 ? 'record' : 'records'}, between spans and events, by time`;
}

function entriesOf(trace: TraceTimeline, data: TraceLogs | undefined): Entry[] {
  const { spans, events, operations, services } = trace;
  const positions = new Map(spans.id.map((id, at) => [id, at]));
  const begins = spans.id.map(
    (_, span): Entry => ({
      ns: spans.startNs[span],
      span,
      service: services[spans.service[span]],
      what: 'begins',
      level: '',
      text: `${operations[spans.operation[span]]}, ${formatDuration(spans.durationNs[span])}`,
    }),
  );
  const ofEvents = events.span.map(
    (span, at): Entry => ({
      ns: events.startNs[at],
      span,
      service: services[spans.service[span]],
      what: 'event',
      level: '',
      text: operations[events.name[at]] || 'event',
    }),
  );
  const logs = (data?.logs ?? []).map(
    ({ at, spanId, service, severity, severityText, eventName, body }): Entry => ({
      ns: offsetNs(trace.start, at),
      span: positions.get(spanId ?? '') ?? -1,
      service,
      what: 'log',
      level: severity > 0 ? severityOf(severity) : severityText.toLowerCase(),
      text: eventName ? `${eventName} ${body === 'null' ? '' : body}` : body,
    }),
  );
  return [...begins, ...ofEvents, ...logs].sort((a, b) => a.ns - b.ns);
}
