import { useState } from 'react';
import type { OneLogLine } from '../../api/logs/line.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { clockTimeExact } from '../../core/time/clock.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { podPath } from '../../ui/machines/machinePaths.ts';
import { useLogLine } from '../../ui/queries/logs.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { Values } from '../../ui/values/Values.tsx';
import styles from './Logs.module.css';
import { SeverityMark } from './SeverityMark.tsx';
import { apartWords, harmless, shortened, structureOf } from './words.ts';

/** One line: what it says, its trace, what its instance wrote around it, its record. */
export function LinePanel({ id, choose }: { id: string; choose: (id: string) => void }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const found = useLogLine(id);
  const [raw, setRaw] = useState(false);
  if (found.error) return <p role="alert">{found.error.message}</p>;
  const it = found.data;
  if (!it) return <p className="dim">Reading …</p>;
  const of = withChip(scope, condition('service', 'is', it.service));
  return (
    <div className={styles.panel}>
      <h2>
        {it.instance || it.service}, {clockTimeExact(Date.parse(it.at), zone)} <small>{it.severityText || it.severity}</small>
      </h2>
      <pre className={styles.body} data-severity={it.severity}>
        {harmless(structureOf(it.body) ?? it.body).slice(0, 20_000) || '(empty)'}
      </pre>
      <div className={styles.actions}>
        {it.traceId && (
          <a
            className={styles.main}
            href={`${href(`/traces/${it.traceId}`)}${it.spanId ? `&span=${it.spanId}` : ''}`}
            suppressHydrationWarning
          >
            Open trace
          </a>
        )}
        <a href={href(`/services/${encodeURIComponent(it.service)}`)} suppressHydrationWarning>
          {it.service}
        </a>
        {it.instance && (
          <a href={href(podPath(it.instance))} suppressHydrationWarning>
            Its pod
          </a>
        )}
        <a href={contrastPath((path) => href(path, of), { how: 'before' })} suppressHydrationWarning>
          Contrast
        </a>
        <button type="button" onClick={() => void navigator.clipboard?.writeText(it.body)}>
          Copy
        </button>
      </div>
      <section>
        <h2>
          Around it <small>same instance</small>
        </h2>
        <ol className={styles.around}>
          {it.around.map((line) => (
            <li key={line.id} data-here={line.id === id}>
              <button type="button" onClick={() => choose(line.id)}>
                <span className="mono">{line.id === id ? '0' : apartWords(nanosBetween(it.at, line.at))}</span>
                <SeverityMark severity={line.severity} />
                <span>{harmless(shortened(line.text.split('\n', 1)[0], line.id === id ? 160 : 60))}</span>
              </button>
            </li>
          ))}
        </ol>
      </section>
      <section>
        <h2>
          Record{' '}
          <button type="button" className={styles.more} aria-pressed={raw} onClick={() => setRaw(!raw)}>
            {raw ? 'as fields' : 'raw'}
          </button>
        </h2>
        {raw ? <pre className={styles.raw}>{harmless(rawOf(it))}</pre> : <Record it={it} />}
      </section>
    </div>
  );
}

function Record({ it }: { it: OneLogLine }) {
  return (
    <>
      <Values entries={Object.entries(it.attributes)} fields narrowTo="/logs" />
      <Values title="Resource" entries={Object.entries(it.resource)} fields narrowTo="/logs" />
      <Values
        title="Context"
        entries={[
          ['severity', `${it.severityText || it.severity} (${it.severityNumber})`],
          ...(it.eventName ? ([['event', it.eventName]] as const) : []),
          ...(it.traceId ? ([['trace id', it.traceId]] as const) : []),
          ...(it.spanId ? ([['span id', it.spanId]] as const) : []),
        ]}
      />
    </>
  );
}

function rawOf({ around: _, ...it }: OneLogLine): string {
  return JSON.stringify(it, null, 1);
}

/** Nanoseconds from one ISO 8601 time to another. */
function nanosBetween(from: string, to: string): number {
  const fraction = (text: string) => Number((/\.(\d{1,9})/.exec(text)?.[1] ?? '0').padEnd(9, '0'));
  const seconds = (text: string) => Math.floor(Date.parse(text) / 1000);
  return (seconds(to) - seconds(from)) * 1e9 + fraction(to) - fraction(from);
}
