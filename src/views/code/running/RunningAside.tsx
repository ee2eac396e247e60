import type { RunningRequest } from '../../../api/code/request.ts';
import type { CodeRunning } from '../../../api/code/running.ts';
import { againstUsual, WAIT_COLOURS, WAIT_WORDS } from '../../../core/profile/runningWords.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { databasePath } from '../../../ui/databases/databasePath.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { useProbes } from '../../../ui/queries/code.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import styles from './Running.module.css';

/** What is known of the followed request, who stands in its way, and what ended meanwhile. */
export function RunningAside({ request: it, answer }: { request: RunningRequest | undefined; answer: CodeRunning | undefined }) {
  const { href } = useScope();
  const zone = useZone();
  const root = it?.session?.root;
  return (
    <div className={styles.aside}>
      {it && (
        <>
          <h2>{it.request.operation}</h2>
          <p className={styles.usualLine}>
            {formatDuration(it.request.ageMs * 1e6)}, {againstUsual(it.request.ageMs, it.usual.p50Ms)}
          </p>
          <p className="dim">
            {it.request.instance || it.request.service}
            {it.request.thread && `, ${it.request.thread}`}
            {it.services.length > 1 &&
              ` · also in ${[...new Set(it.services.map(({ service }) => service))].filter((of) => of !== it.request.service).join(', ')}`}
          </p>
          {it.ended && (
            <p className={styles.endedLine} data-failed={it.ended.failed}>
              <StateGlyph state={it.ended.failed ? 'failing' : 'calm'} word="" /> <b>It has ended</b> after{' '}
              {formatDuration(it.ended.ageMs * 1e6)}: {it.ended.failed ? `failed, ${it.ended.outcome}` : 'went well'}
            </p>
          )}
          <section>
            <h3>{it.ended ? 'At the last look' : 'At this moment'}</h3>
            <p>
              <i className={styles.kind} style={{ background: `var(${WAIT_COLOURS[it.request.wait] ?? '--t-gap'})` }} />
              <b>{WAIT_WORDS[it.request.wait] ?? it.request.wait}</b>
              {it.session && ` in ${it.session.server}${it.session.waitEvent ? ` (${it.session.waitEvent})` : ''}`}
            </p>
            {it.request.looks > 1 && (
              <p className="dim">
                {it.request.looks === it.request.of
                  ? `in every one of its ${it.request.of} looks`
                  : `in its last ${it.request.looks} of ${it.request.of} looks`}
              </p>
            )}
            {it.source && (
              <ol className={styles.codeLines} aria-label={it.source.file}>
                {it.source.lines.map(({ line, text }) => (
                  <li key={line} data-here={line === hereOf(it)}>
                    <span>{line}</span>
                    <code>{text}</code>
                  </li>
                ))}
              </ol>
            )}
          </section>
          {it.request.statement && (
            <section>
              <h3>Running statement</h3>
              <pre className={styles.statement}>{it.request.statement}</pre>
            </section>
          )}
          {root && (
            <section>
              <h3>Waits for</h3>
              <div className={styles.blocker}>
                <b>{root.program || 'a session'}</b>, session {root.session}
                <p className={styles.state}>
                  {root.state}
                  {root.sinceMs !== null && ` since ${formatDuration(root.sinceMs * 1e6)}`}
                </p>
                <p>
                  {root.behind} {root.behind === 1 ? 'session waits' : 'sessions wait'} behind it
                </p>
              </div>
            </section>
          )}
          <p className={styles.actions}>
            {root && it.session && (
              <a data-main="true" href={href(databasePath(it.session.server))} suppressHydrationWarning>
                Open the blocker
              </a>
            )}
            <a href={href(`/traces/${it.request.traceId}`)} suppressHydrationWarning>
              {it.ended ? 'Its trace' : 'Trace so far'}
            </a>
          </p>
        </>
      )}
      {answer && answer.ended.length > 0 && (
        <section>
          <h3>Ended a short while ago</h3>
          <ul className={styles.endedList}>
            {answer.ended.map((of) => (
              <li key={of.traceId}>
                <StateGlyph state={of.failed === null ? 'unknown' : of.failed ? 'failing' : 'calm'} word="" />
                <span className="mono">{clockTime(of.at, zone, true)}</span>
                <a href={href(`/traces/${of.traceId}`)} className="mono" suppressHydrationWarning>
                  {of.traceId.slice(0, 8)}
                </a>
                <span>{of.failed === null ? 'no span yet' : of.failed ? 'failed' : 'went well'}</span>
                <span className="mono">{formatDuration((of.durationMs ?? of.ageMs) * 1e6)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <Probes />
    </div>
  );
}

function hereOf({ looks }: RunningRequest): number {
  return looks.at(-1)?.frames.find(({ own }) => own)?.line ?? 0;
}

function Probes() {
  const zone = useZone();
  const { data: probes } = useProbes();
  if (!probes) return null;
  const { present, gone, processes } = probes;
  if (processes.length === 0)
    return (
      <p className="dim">
        No probe is connected: what services report by themselves is shown, a look cannot be asked for. See “Node probe” in
        docs/using.md.
      </p>
    );
  return (
    <details className={styles.probes}>
      <summary>
        {present} {present === 1 ? 'process answers' : 'processes answer'} looks
        {gone > 0 && `, ${gone} gone`}
      </summary>
      <ul>
        {processes.slice(0, 40).map((it) => (
          <li key={`${it.service} ${it.instance}`}>
            {it.instance || it.service} {it.version}{' '}
            <span className="dim">{it.gone ? `gone, heard of last ${clockTime(it.seen, zone, true)}` : it.language}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
