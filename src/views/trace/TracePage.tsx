import { useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import type { UsualDurations } from '../../api/traces/usual.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useTimeline, useUsual } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './TracePage.module.css';
import { TraceScreen } from './TraceScreen.tsx';

export interface TraceFirst {
  readonly traceId: string;
  /** Absent when it could not be read, or is so large that it is fetched after the first paint. */
  readonly timeline?: TraceTimeline;
  readonly usual?: UsualDurations;
  readonly series?: RequestSeries;
  /** A span to begin at, as its id. */
  readonly spanId?: string;
}

/** A kept request: its timeline with the critical path as a thread, and where its time went. */
export function TracePage({ start, first }: { start: IslandStart; first: TraceFirst }) {
  const { scope, href } = useScope();
  const [joined, setJoined] = useState(false);
  const answer = useTimeline(first.traceId, first.timeline, joined);
  const [usualSide, setUsualSide] = useState<'lit' | 'before'>('lit');
  const usual = useUsual(first.traceId, scope, usualSide, { data: first.usual, scope: start.scope });
  const trace = answer.data;
  if (trace)
    return (
      <TraceScreen
        // What was chosen is a position: in a joined trace, of another span.
        key={trace.traces.length}
        start={start}
        series={first.series}
        trace={trace}
        busy={answer.isFetching}
        trouble={answer.error}
        usual={usual.data}
        usualSide={usualSide}
        setUsualSide={setUsualSide}
        firstSpan={first.spanId}
        joined={joined}
        setJoined={setJoined}
      />
    );
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={answer.isFetching}
      trouble={null}
      inspectorLabel="Where the time went"
      inspector={null}
    >
      {answer.error ? (
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
