import { useMemo } from 'react';
import type { SpanDetails } from '../../../api/traces/span.ts';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { benchPath } from '../../../ui/databases/databasePath.ts';
import { shownName } from '../../../ui/list/shownName.ts';
import { useSpanDetails } from '../../../ui/queries/traces.ts';
import { Stack } from '../../../ui/stack/Stack.tsx';
import { useScope } from '../../../ui/state/scopeState.ts';
import { valueGroups } from '../../../ui/values/groups.ts';
import { Values } from '../../../ui/values/Values.tsx';
import { ownOnPath } from '../story.ts';
import { percentOf } from '../timeline/columns.ts';
import type { Usual } from '../timeline/rowView.ts';
import { BesideSpan } from './BesideSpan.tsx';
import styles from './SpanInspector.module.css';

interface SpanInspectorProps {
  readonly trace: TraceTimeline;
  readonly span: number;
  readonly usual: Usual | undefined;
  /** All that was sent of its spans, when the trace is not kept. */
  readonly known: ReadonlyMap<string, SpanDetails> | undefined;
  readonly choose: (span: number) => void;
}

/** All about the chosen span: its part of the time and whether that is usual, its part in a failure, attributes, events, links, who reported it. */
export function SpanInspector({ trace, span, usual, known, choose }: SpanInspectorProps) {
  const { href } = useScope();
  const { spans } = trace;
  const traceId = trace.traceOf.length > 0 ? trace.traces[trace.traceOf[span]] : trace.traceId;
  const asked = useSpanDetails(traceId, known ? undefined : spans.id[span]);
  const details = known?.get(spans.id[span]) ?? asked.data;
  const own = useMemo(() => ownOnPath(trace), [trace]);
  const service = trace.services[spans.service[span]];
  return (
    <section className={styles.inspector} aria-label="Span">
      <h2>
        <span className={styles.name}>{shownName(trace.operations[spans.operation[span]])}</span>
        <span className={styles.where}>
          {known ? (
            shownName(service)
          ) : (
            <a href={href(`/services/${encodeURIComponent(service)}`)} suppressHydrationWarning>
              {shownName(service)}
            </a>
          )}{' '}
          · {formatDuration(spans.durationNs[span])}
        </span>
      </h2>
      <p className="dim">
        {formatDuration(spans.selfNs[span])} its own,{' '}
        {own[span] > 0 ? `${formatDuration(own[span])} on the critical path` : 'off the critical path'}
      </p>
      {usual && <p className={styles.usual}>{usualWords(usual, spans.durationNs[span])}</p>}
      <Failure trace={trace} span={span} choose={choose} />
      <Circumstances trace={trace} span={span} choose={choose} />
      {!known && <BesideSpan traceId={traceId} spanId={spans.id[span]} />}
      {asked.error && !details && <p className="dim">{asked.error.message}</p>}
      {details && <Details details={details} stale={!known && asked.isPlaceholderData} isKept={!known} />}
    </section>
  );
}

/** "41× its usual 130 ms; slower than 99.1 % of 12 407 like it" */
function usualWords({ p50Ns, calls, shareBelow }: Usual, ns: number): string {
  if (p50Ns === null || calls <= 1) return 'the only one of its like in the lit window';
  const times = ns / p50Ns;
  const ratio = times >= 10 ? formatCount(Math.round(times)) : times.toFixed(1).replace(/\.0$/, '');
  const usual = times >= 1.5 ? `${ratio}× its usual ${formatDuration(p50Ns)}` : `usually ${formatDuration(p50Ns)}`;
  return `${usual}; slower than ${percentOf(shareBelow(ns))} of ${formatCount(calls)} like it`;
}

interface PartProps {
  readonly trace: TraceTimeline;
  readonly span: number;
  readonly choose: (span: number) => void;
}

/** The chain of a failure that this span is in, each step a way to it. */
function Failure({ trace, span, choose }: PartProps) {
  const part = trace.failures.find((it) => it.span === span)?.part;
  if (!part) return null;
  const service = trace.services[trace.spans.service[span]];
  const chain = trace.chains.find(({ spans }) => spans.includes(span));
  return (
    <div className={styles.failure}>
      <p>
        {part.role === 'origin'
          ? part.party === service
            ? 'The failure starts here'
            : `The failure starts at ${part.party}`
          : 'Passes a failure on'}
        {trace.retried.includes(span) && '; a retry made it good'}
      </p>
      {chain && chain.spans.length > 1 && (
        <ol className={styles.chain} aria-label="How the failure went up">
          {chain.spans.map((it) => (
            <li key={it}>
              <button type="button" aria-current={it === span} onClick={() => choose(it)}>
                {shownName(trace.services[trace.spans.service[it]])} {shownName(trace.operations[trace.spans.operation[it]])}
              </button>
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}

/** What happened around it: attempts, giving up, cancelling, waits in queues and at the database. */
function Circumstances({ trace, span, choose }: PartProps) {
  const nameOf = (it: number) => shownName(trace.services[trace.spans.service[it]]);
  const attempts = trace.attempts.find(({ tries }) => tries.includes(span));
  const gave = trace.gaveUp.find(({ caller }) => caller === span);
  const given = trace.gaveUp.find(({ callee }) => callee === span);
  const queue = trace.queues.find(({ consumer, producer }) => consumer === span || producer === span);
  const wait = trace.waits.find((it) => it.span === span);
  return (
    <ul className={styles.circumstances}>
      {attempts && (
        <li>
          Attempt {attempts.tries.indexOf(span) + 1} of {attempts.tries.length}
          {attempts.tries.map((it, at) => (
            <button key={it} type="button" aria-current={it === span} onClick={() => choose(it)}>
              {at + 1}
            </button>
          ))}
        </li>
      )}
      {gave && (
        <li>
          Gave up; {nameOf(gave.callee)} went on for {formatDuration(gave.wentOnNs)}
          <button type="button" onClick={() => choose(gave.callee)}>
            see
          </button>
        </li>
      )}
      {given && (
        <li>
          Its caller gave up {formatDuration(given.wentOnNs)} before it was done
          <button type="button" onClick={() => choose(given.caller)}>
            see
          </button>
        </li>
      )}
      {trace.cancelled.includes(span) && <li>Was cancelled</li>}
      {queue && (
        <li>
          {queue.consumer === span ? 'Its message waited' : 'The message waited'} {formatDuration(queue.endNs - queue.startNs)} in{' '}
          {shownName(queue.destination)}
          <button type="button" onClick={() => choose(queue.consumer === span ? queue.producer : queue.consumer)}>
            {queue.consumer === span ? 'who sent it' : 'who took it'}
          </button>
        </li>
      )}
      {wait && (
        <li>
          Seen {wait.samples} {wait.samples === 1 ? 'time' : 'times'} at the database:{' '}
          {wait.lock + wait.io === 0
            ? 'it was working each time'
            : [
                wait.lock > 0 ? `${Math.round(100 * wait.lock)} % waiting for a lock` : '',
                wait.io > 0 ? `${Math.round(100 * wait.io)} % for storage` : '',
              ]
                .filter(Boolean)
                .join(', ')}
          {wait.event && ` (${wait.event})`}
        </li>
      )}
    </ul>
  );
}

/** Longer ones do not fit into an address. */
const LONGEST_STATEMENT = 4_000;

/** The way from a span of PostgreSQL to the bench on which its statement can be made faster. */
function TryStatement({ attributes }: Pick<SpanDetails, 'attributes'>) {
  const { href } = useScope();
  const text = attributes['db.query.text'] ?? attributes['db.statement'];
  const server = attributes['server.address'];
  const system = attributes['db.system.name'] ?? attributes['db.system'];
  if (typeof text !== 'string' || typeof server !== 'string' || system !== 'postgresql' || text.length > LONGEST_STATEMENT)
    return null;
  return (
    <p>
      <a href={href(benchPath(server, { text }))} suppressHydrationWarning>
        Make its statement faster
      </a>
    </p>
  );
}

function Details({ details, stale, isKept }: { details: SpanDetails; stale: boolean; isKept: boolean }) {
  const { href } = useScope();
  const { attributes, resource, events, links, scope, statusMessage, kind, spanId, traceId, traceState } = details;
  return (
    <div className={styles.details} data-stale={stale}>
      {statusMessage && <p className={styles.message}>{statusMessage}</p>}
      {events.map((event) => (
        <Event key={`${event.startNs} ${event.name}`} event={event} />
      ))}
      <TryStatement attributes={attributes} />
      {valueGroups(attributes).map(({ title, entries }) => (
        <Values key={title} title={title} entries={entries} fields />
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
      <Values title="Reported by" entries={Object.entries(resource)} fields />
      <Values
        title="Span"
        entries={Object.entries({
          'span id': spanId,
          kind,
          ...(scope.name ? { library: `${scope.name} ${scope.version}` } : {}),
          ...(traceState ? { tracestate: traceState } : {}),
        })}
      />
      {isKept && (
        <p>
          <a href={`/api/traces/${traceId}/otlp?spanId=${spanId}`} download>
            As it was sent, OTLP JSON
          </a>
        </p>
      )}
    </div>
  );
}

function Event({ event }: { event: SpanDetails['events'][number] }) {
  const { name, startNs, attributes } = event;
  const { 'exception.stacktrace': stack, 'exception.message': message, 'exception.type': type, ...rest } = attributes;
  return (
    <section className={styles.event}>
      <h3>
        {typeof type === 'string' ? type : name || 'event'} <span className="mono dim">at {formatDuration(startNs)}</span>
      </h3>
      {typeof message === 'string' && <p className={styles.message}>{message}</p>}
      {typeof stack === 'string' && <Stack stack={stack} />}
      <Values entries={Object.entries(rest)} />
    </section>
  );
}
