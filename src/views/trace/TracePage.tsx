import { useMemo, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { clockTimeExact, dayOf } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { Ledger } from '../../ui/ledger/Ledger.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useTimeline } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { AmongLike } from './AmongLike.tsx';
import { Problems } from './Problems.tsx';
import { SpanInspector } from './SpanInspector.tsx';
import { Timeline } from './Timeline.tsx';
import styles from './TracePage.module.css';

export interface TraceFirst {
  readonly traceId: string;
  /** Absent when it could not be read, or is so large that it is fetched after the first paint. */
  readonly timeline?: TraceTimeline;
  readonly series?: RequestSeries;
  /** A span to begin at, as its id. */
  readonly spanId?: string;
}

/** One request: its timeline with the critical path as a thread, and where its time went. */
export function TracePage({ start, first }: { start: IslandStart; first: TraceFirst }) {
  const { href } = useScope();
  const answer = useTimeline(first.traceId, first.timeline);
  const trace = answer.data;
  const [chosen, setChosen] = useState(() => Math.max(0, trace?.spans.id.indexOf(first.spanId ?? '') ?? 0));
  const [ledgerLine, setLedgerLine] = useState<number>();
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={answer.isFetching}
      trouble={trace ? answer.error : null}
      inspectorLabel="Where the time went"
      inspector={
        trace && (
          <>
            <section>
              <h2>Where the {formatDuration(trace.durationNs)} went</h2>
              <p className="dim">along the critical path; adds up exactly</p>
              <Ledger lines={trace.ledger} chosen={ledgerLine} choose={setLedgerLine} />
            </section>
            <SpanInspector trace={trace} span={Math.min(chosen, trace.spans.id.length - 1)} />
          </>
        )
      }
    >
      {trace ? (
        <>
          <Heading trace={trace} />
          <Timeline
            trace={trace}
            chosen={chosen}
            choose={setChosen}
            litLine={ledgerLine === undefined ? undefined : trace.ledger[ledgerLine]}
          />
        </>
      ) : answer.error ? (
        <div role="alert">
          <h1>This trace cannot be shown</h1>
          <p className={styles.error}>{answer.error.message}</p>
          <p>
            <a href={href('/traces')} suppressHydrationWarning>
              Back to the list
            </a>
          </p>
        </div>
      ) : (
        <h1>Opening the trace …</h1>
      )}
    </Frame>
  );
}

function Heading({ trace }: { trace: TraceTimeline }) {
  const zone = useZone();
  const root = trace.spans.parent.indexOf(-1);
  const began = Date.parse(trace.start);
  const services = useMemo(() => new Set(trace.spans.service).size, [trace]);
  const failed = trace.failures.length;
  const rootFailed = trace.failures.some(({ span }) => span === root);
  const origins = [...new Set(trace.failures.filter(({ part }) => part.role === 'origin').map(({ part }) => part.place))];
  return (
    <header className={styles.heading}>
      <div>
        <h1>
          {shownName(trace.services[trace.spans.service[root]])} {shownName(trace.operations[trace.spans.operation[root]])}{' '}
          <span className={styles.took}>{formatDuration(trace.durationNs)}</span>
        </h1>
        <p className={styles.facts}>
          <CopyId id={trace.traceId} /> · {dayOf(began, zone)} {clockTimeExact(began, zone)} · {services} services ·{' '}
          {trace.spans.id.length.toLocaleString('en')} spans
          {failed > 0 && (
            <span className={styles.failed}>
              {' '}
              <StateGlyph state={rootFailed ? 'failing' : 'strained'} /> {failed === 1 ? '1 span' : `${failed} spans`} failed,
              starting in {shownName(origins.join(', '))}
              {trace.retried.length > 0 && `, ${trace.retried.length} made good by a retry`}
            </span>
          )}
          <Problems trace={trace} />
        </p>
      </div>
      <AmongLike trace={trace} />
    </header>
  );
}

function CopyId({ id }: { id: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(id);
    setCopied(true);
    setTimeout(() => setCopied(false), 1500);
  };
  return (
    <button type="button" className="mono" title={`Copy ${id}`} onClick={() => void copy()}>
      {copied ? 'copied' : `${id.slice(0, 4)}…${id.slice(-4)}`}
    </button>
  );
}
