import { max } from 'd3-array';
import { useMemo, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceComparison } from '../../api/traces/compare.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useComparison } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Compare.module.css';
import { ComparedRows } from './ComparedRows.tsx';
import { DifferenceLedger } from './DifferenceLedger.tsx';
import { headline, rowsThatDiffer, sideName } from './words.ts';

export interface CompareFirst {
  readonly traceId: string;
  /** A trace id, before or lit. */
  readonly other: string;
  readonly comparison?: TraceComparison;
  readonly series?: RequestSeries;
}

/** A trace held against another one or against the typical of its like: what is new, missing, slower, and where the difference sits. */
export function ComparePage({ start, first }: { start: IslandStart; first: CompareFirst }) {
  const { scope, href } = useScope();
  const [other, setOther] = useState(first.other);
  const [whole, setWhole] = useState(false);
  const answer = useComparison(first.traceId, other, scope, {
    data: other === first.other ? first.comparison : undefined,
    scope: start.scope,
  });
  const it = answer.data;
  const shown = useMemo(() => (it && !whole ? rowsThatDiffer(it.rows) : undefined), [it, whole]);
  usePinnables([
    it && { kind: 'comparison', what: 'this comparison', of: 'narrowed', query: { traceId: first.traceId, with: other } },
  ]);
  const isOneTrace = other !== 'before' && other !== 'lit';
  const choose = (next: string) => {
    setOther(next);
    const url = new URL(location.href);
    url.searchParams.set('with', next);
    history.replaceState(null, '', url);
  };
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={answer.isFetching}
      trouble={it ? answer.error : null}
      inspectorLabel="Where the difference sits"
      inspector={it && <DifferenceLedger comparison={it} />}
    >
      <header className={styles.heading}>
        <h1>{it ? headline(it) : answer.error ? 'Nothing to hold it against' : 'Laying one over the other …'}</h1>
        <p className={styles.sides}>
          <a href={href(`/traces/${first.traceId}`)} className={styles.lit} suppressHydrationWarning>
            {first.traceId.slice(0, 4)}…{first.traceId.slice(-4)}
          </a>{' '}
          {it && (
            <>
              {shownName(it.b.service)} {shownName(it.b.operation)} <b className="mono">{formatDuration(it.b.durationNs)}</b>,
              against{' '}
              {isOneTrace ? (
                <a href={href(`/traces/${other}`)} className={styles.before} suppressHydrationWarning>
                  {sideName(it, 'a')}
                </a>
              ) : (
                <span className={styles.before}>{sideName(it, 'a')}</span>
              )}{' '}
              {it.a.operation !== it.b.operation && `${shownName(it.a.service)} ${shownName(it.a.operation)} `}
              <b className="mono">{formatDuration(Math.round(it.a.durationNs))}</b>
            </>
          )}
        </p>
        <div className={styles.choices}>
          <span role="group" aria-label="Held against">
            <button type="button" aria-pressed={other === 'before'} onClick={() => choose('before')}>
              typical before
            </button>
            <button type="button" aria-pressed={other === 'lit'} onClick={() => choose('lit')}>
              typical lit
            </button>
          </span>
          {it && (
            <button type="button" aria-pressed={!whole} onClick={() => setWhole(!whole)}>
              only what differs
            </button>
          )}
          {it && shown && (
            <span className="dim">
              {shown.size} of {it.rows.length} places
            </span>
          )}
        </div>
      </header>
      {answer.error && !it ? (
        <Emptiness
          title="This cannot be compared"
          words={answer.error.message}
          actions={[
            other === 'lit'
              ? { label: 'Hold against the typical one before', act: () => choose('before') }
              : { label: 'Hold against the typical one lit', act: () => choose('lit') },
          ]}
        />
      ) : (
        it && <ComparedRows comparison={it} shown={shown} longest={longestOf(it)} />
      )}
    </Frame>
  );
}

function longestOf({ rows, a, b }: TraceComparison): number {
  return Math.max(a.durationNs, b.durationNs, max(rows, (row) => Math.max(row.a?.endNs ?? 0, row.b?.endNs ?? 0)) ?? 0, 1);
}
