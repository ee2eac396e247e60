import { useMemo, useState } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockTimeExact, dayOf } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { AmongLike } from './inspector/AmongLike.tsx';
import { Problems } from './Problems.tsx';
import { story } from './story.ts';
import styles from './TracePage.module.css';

interface HeadingProps {
  readonly trace: TraceTimeline;
  readonly isKept: boolean;
  readonly choose: (span: number) => void;
}

/** What request it was, how long it took and whether that is usual, and in words where the time went. */
export function Heading({ trace, isKept, choose }: HeadingProps) {
  const zone = useZone();
  const { href } = useScope();
  const root = trace.spans.parent.indexOf(-1);
  const began = Date.parse(trace.start);
  const services = useMemo(() => new Set(trace.spans.service).size, [trace]);
  const sentences = useMemo(() => story(trace), [trace]);
  const failed = trace.failures.length;
  const rootFailed = trace.failures.some(({ span }) => span === root);
  const origins = [...new Set(trace.chains.map(({ party }) => party))];
  const hasRoot = !trace.problems.some(({ type, spanId }) => type === 'missing-parent' && spanId === trace.spans.id[root]);
  // Of a request whose first span has come, what a service told before is over.
  const oldest = hasRoot ? undefined : trace.running[0];
  return (
    <header className={styles.heading}>
      <div>
        <h1>
          {shownName(trace.services[trace.spans.service[root]])} {shownName(trace.operations[trace.spans.operation[root]])}{' '}
          <span className={styles.took}>{formatDuration(trace.durationNs)}</span>
        </h1>
        <p className={styles.facts}>
          <CopyId id={trace.traceId} /> · {dayOf(began, zone)} {clockTimeExact(began, zone)} · {services}{' '}
          {services === 1 ? 'service' : 'services'} · {formatCount(trace.spans.id.length)} spans
          {oldest ? (
            <span className={styles.failed}>
              {' '}
              still running: {shownName(oldest.operation)} in {shownName(oldest.service)}, {formatDuration(oldest.ageMs * 1e6)} so
              far
            </span>
          ) : (
            !hasRoot && <span className={styles.failed}> its first span has not come: the duration may be longer</span>
          )}
          {!trace.complete && <span className={styles.failed}> too many traces to join all</span>}
          {failed > 0 && (
            <span className={styles.failed}>
              {' '}
              <StateGlyph state={rootFailed ? 'failing' : 'strained'} /> {failed === 1 ? '1 span' : `${failed} spans`} failed,
              starting in {shownName(origins.join(', '))}
              {trace.retried.length > 0 && `, ${trace.retried.length} made good by a retry`}
            </span>
          )}
          {isKept && (
            <>
              {' · '}
              <a href={`${href('/map')}&trace=${trace.traceId}`} suppressHydrationWarning>
                on the map
              </a>
            </>
          )}
          <Problems trace={trace} />
        </p>
        {sentences.length > 0 && (
          <ul className={styles.story} aria-label="In words">
            {sentences.map(({ text, span }) => (
              <li key={text}>
                <button type="button" onClick={() => choose(span)}>
                  {text}
                </button>
              </li>
            ))}
          </ul>
        )}
      </div>
      {isKept && <AmongLike trace={trace} />}
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
