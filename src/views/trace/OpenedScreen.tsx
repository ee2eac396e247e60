import { useMemo, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { OpenedTraces } from '../../api/traces/opened.ts';
import { formatDuration } from '../../core/time/duration.ts';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import styles from './TracePage.module.css';
import { TraceScreen } from './TraceScreen.tsx';

interface OpenedScreenProps {
  readonly start: IslandStart;
  readonly series: RequestSeries | undefined;
  readonly fileName: string;
  readonly opened: OpenedTraces;
  readonly close: () => void;
}

/** The traces of a file that is not stored, one at a time. */
export function OpenedScreen({ start, series, fileName, opened, close }: OpenedScreenProps) {
  const [at, setAt] = useState(0);
  const { traces: all } = opened;
  const { timeline, spans } = all[at];
  const known = useMemo(() => new Map(spans.map((span) => [span.spanId, span])), [spans]);
  return (
    <TraceScreen
      key={at}
      start={start}
      series={series}
      trace={timeline}
      busy={false}
      trouble={null}
      usual={undefined}
      known={known}
      joined={false}
      setJoined={() => {}}
      note={
        <p className={styles.opened} role="status">
          <b>Not stored.</b> From {fileName}
          {all.length > 1 && (
            <select aria-label="Which trace of the file" value={at} onChange={(event) => setAt(Number(event.target.value))}>
              {all.map(({ timeline: it }, position) => (
                <option key={it.traceId} value={position}>
                  {shownName(it.operations[it.spans.operation[it.spans.parent.indexOf(-1)]])}, {formatDuration(it.durationNs)}
                </option>
              ))}
            </select>
          )}
          {opened.total > all.length && ` the ${all.length} largest of ${opened.total} traces`}
          {opened.refused > 0 && ` ${opened.refused} spans could not be read`}
          <button type="button" onClick={close}>
            close
          </button>
        </p>
      }
    />
  );
}
