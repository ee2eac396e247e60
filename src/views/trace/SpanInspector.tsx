import { type ReactNode, useMemo } from 'react';
import type { SpanDetails } from '../../api/traces/span.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { formatDuration } from '../../core/time/duration.ts';
import type { AttributeValue } from '../../core/trace/span.ts';
import { shownName } from '../../ui/list/shownName.ts';
import { useSpanDetails } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './SpanInspector.module.css';

/** All about the chosen span: its part of the time, its part in a failure, attributes, events, links, who reported it. */
export function SpanInspector({ trace, span }: { trace: TraceTimeline; span: number }) {
  const { spans } = trace;
  const details = useSpanDetails(trace.traceId, spans.id[span]);
  const onPath = useMemo(
    () =>
      trace.path.span.reduce((sum, owner, at) => (owner === span ? sum + trace.path.endNs[at] - trace.path.startNs[at] : sum), 0),
    [trace, span],
  );
  const failure = trace.failures.find((it) => it.span === span)?.part;
  const service = trace.services[spans.service[span]];
  return (
    <section className={styles.inspector} aria-label="Span">
      <h2>
        <span className={styles.name}>{shownName(trace.operations[spans.operation[span]])}</span>
        <span className={styles.where}>
          {shownName(service)} · {formatDuration(spans.durationNs[span])}
        </span>
      </h2>
      <p className="dim">
        {formatDuration(spans.selfNs[span])} its own,{' '}
        {onPath > 0 ? `${formatDuration(onPath)} on the critical path` : 'off the critical path'}
      </p>
      {failure && (
        <p className={styles.failure}>
          {failure.role === 'origin'
            ? failure.place === service
              ? 'The failure starts here'
              : `The failure starts at ${failure.place}`
            : 'Passes a failure on'}
          {trace.retried.includes(span) && '; a retry made it good'}
        </p>
      )}
      {details.error && !details.data && <p className="dim">{details.error.message}</p>}
      {details.data && <Details details={details.data} stale={details.isPlaceholderData} />}
    </section>
  );
}

function Details({ details, stale }: { details: SpanDetails; stale: boolean }) {
  const { href } = useScope();
  const { attributes, resource, events, links, scope, statusMessage, kind, spanId, traceState } = details;
  return (
    <div className={styles.details} data-stale={stale}>
      {statusMessage && <p className={styles.message}>{statusMessage}</p>}
      <Values title="Attributes" values={attributes} />
      {events.map((event) => (
        <section key={`${event.startNs} ${event.name}`}>
          <h3>
            {event.name || 'event'} <span className="mono dim">at {formatDuration(event.startNs)}</span>
          </h3>
          <Values values={event.attributes} />
        </section>
      ))}
      {links.length > 0 && (
        <section>
          <h3>Links</h3>
          {links.map((link) => (
            <p key={link.traceId + link.spanId} className="mono">
              <a href={`${href(`/traces/${link.traceId}`)}&span=${link.spanId}`}>
                {link.traceId.slice(0, 8)}… {link.spanId}
              </a>
            </p>
          ))}
        </section>
      )}
      <Values title="Reported by" values={resource} />
      <Values
        title="Span"
        values={{
          'span id': spanId,
          kind,
          ...(scope.name ? { library: `${scope.name} ${scope.version}` } : {}),
          ...(traceState ? { tracestate: traceState } : {}),
        }}
      />
    </div>
  );
}

/** A key that may be broken after its dots. */
function breakable(key: string): ReactNode[] {
  const parts = key.split(/(?<=\.)/);
  return parts.flatMap((part, at) => (at === 0 ? [part] : [<wbr key={parts.slice(0, at).join('')} />, part]));
}

/** A value longer than this stands below its name. */
const WIDE = 34;
/** A value longer than this is cut until it is opened. */
const LONG = 400;

function Values({ title, values }: { title?: string; values: { readonly [key: string]: AttributeValue } }) {
  const entries = Object.entries(values);
  if (entries.length === 0) return null;
  return (
    <section>
      {title && <h3>{title}</h3>}
      <dl>
        {entries.map(([key, value]) => {
          const text = typeof value === 'string' ? value : JSON.stringify(value);
          return (
            <div key={key} data-wide={text.length > WIDE}>
              <dt>{breakable(key)}</dt>
              <dd>
                {text.length > LONG ? (
                  <details>
                    <summary>{text.slice(0, 80)}…</summary>
                    {text.slice(0, 20_000)}
                    {text.length > 20_000 &&
                      ` … ${(text.length - 20_000).toLocaleString('en')} characters more; the interface at /api has them`}
                  </details>
                ) : (
                  text
                )}
              </dd>
            </div>
          );
        })}
      </dl>
    </section>
  );
}
