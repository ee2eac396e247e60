import type { Beside } from '../../../api/traces/beside.ts';
import { formatValue } from '../../../core/measures/unitText.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { profilePath } from '../../../ui/code/codePath.ts';
import { databasePath } from '../../../ui/databases/databasePath.ts';
import { hostPath, podPath } from '../../../ui/machines/machinePaths.ts';
import { useBeside } from '../../../ui/queries/traces.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { visitPath } from '../../../ui/visitors/visitorPaths.ts';
import styles from './BesideSpan.module.css';
import { CodeLine } from './CodeLine.tsx';

/** What went on beside a span while it ran: who stood in its way at the database, where in its code it was, what its instance and host measured, who waited for it. */
export function BesideSpan({ traceId, spanId }: { traceId: string; spanId: string }) {
  const { scope, href } = useScope();
  const { data, error } = useBeside(traceId, spanId, scope);
  if (error) return <p className="dim">Context of this span could not be read: {error.message}</p>;
  if (!data) return null;
  return (
    <div className={styles.beside}>
      {data.blockers.length > 0 && <Blockers blockers={data.blockers} />}
      {data.code.map((of) => (
        <Code key={of.type} of={of} />
      ))}
      {data.code.length > 0 && (
        <p>
          <a
            href={href(
              profilePath(data.service, { span: `${traceId}/${spanId}`, type: `${data.code[0].type} ${data.code[0].unit}` }),
            )}
            suppressHydrationWarning
          >
            Profile of this span
          </a>
        </p>
      )}
      {data.measures.length > 0 && <Moves beside={data} />}
      {data.visit && (
        <p className="dim">
          Began with “{data.visit.name}” on {data.visit.page} in{' '}
          <a href={href(visitPath(data.visit.session))} suppressHydrationWarning>
            a visit of {data.visit.visitor}
          </a>
          {data.visit.durationMs !== null && `, ${formatDuration(data.visit.durationMs * 1e6)} for the visitor`}
        </p>
      )}
    </div>
  );
}

function Blockers({ blockers }: { blockers: Beside['blockers'] }) {
  const { href } = useScope();
  return (
    <section>
      <h3>Waited for</h3>
      <ul>
        {blockers.map((it) => (
          <li key={`${it.session} ${it.statement} ${it.state}`} data-first={it.isFirst}>
            <p>
              <b>{it.program || 'a session'}</b> session {it.session}, {it.state}; seen {it.samples}{' '}
              {it.samples === 1 ? 'time' : 'times'}
              {it.isFirst ? ', waited for nobody' : ', waited itself'}
              {it.traceId !== '' && (
                <>
                  {' '}
                  <a href={href(`/traces/${it.traceId}`)} suppressHydrationWarning>
                    its trace
                  </a>
                </>
              )}
            </p>
            <code>{it.statement}</code>
          </li>
        ))}
      </ul>
      {[...new Set(blockers.map(({ server }) => server))].map((server) => (
        <p key={server}>
          <a href={href(databasePath(server))} suppressHydrationWarning>
            All sessions of {server}
          </a>
        </p>
      ))}
    </section>
  );
}

/** Names that profilers give to what they measure, in words. */
const KINDS: Readonly<Record<string, string>> = {
  cpu: 'On the processor',
  wall: 'By the clock',
  alloc_space: 'Allocated',
  alloc_objects: 'Objects allocated',
};

function Code({ of: { type, unit, total, lines } }: { of: Beside['code'][number] }) {
  const value = (of: number) => (unit === 'nanoseconds' ? formatDuration(of) : formatValue(of, unit === 'bytes' ? 'By' : unit));
  return (
    <section>
      <h3>
        {KINDS[type] ?? type} <span className="mono">{value(total)}</span>
      </h3>
      <ul className={styles.code}>
        {lines.map(({ name, file, line, own, below, value: of, share }) => (
          <CodeLine
            key={`${name} ${file} ${line}`}
            frame={{ name, file, line }}
            own={own}
            below={below}
            share={share}
            figure={`${Math.round(100 * share)} %`}
            title={`${value(of)} of ${value(total)}`}
          />
        ))}
      </ul>
    </section>
  );
}

const TURNS = { up: 'rose', down: 'fell', flat: 'flat', unknown: 'unknown' } as const;

function Moves({ beside: { measures, instance, host } }: { beside: Beside }) {
  const { href } = useScope();
  const moved = measures.filter(({ turn }) => turn === 'up' || turn === 'down');
  const flat = measures.filter(({ turn }) => turn === 'flat');
  const words = (value: number | null, unit: string) => (value === null ? '–' : formatValue(value, unit));
  const nameOf = ({ name, detail, ofHost }: Beside['measures'][number]) => `${ofHost ? 'host ' : ''}${name} ${detail}`.trim();
  return (
    <section>
      <h3>
        Meanwhile on{' '}
        {instance ? (
          <a href={href(podPath(instance))} suppressHydrationWarning>
            {instance}
          </a>
        ) : (
          'its instance'
        )}
        {host && (
          <>
            ,{' '}
            <a href={href(hostPath(host))} suppressHydrationWarning>
              {host}
            </a>
          </>
        )}
      </h3>
      {moved.length === 0 && <p className="dim">Nothing that is measured there moved.</p>}
      <ul>
        {moved.map((it) => (
          <li key={nameOf(it)}>
            {nameOf(it)} <b data-turn={it.turn}>{TURNS[it.turn]}</b>{' '}
            <span className="mono">
              {words(it.before, it.unit)} → {words(it.lit, it.unit)}
            </span>
          </li>
        ))}
      </ul>
      {flat.length > 0 && (
        <details>
          <summary>{flat.length} flat</summary>
          <ul>
            {flat.map((it) => (
              <li key={nameOf(it)}>
                {nameOf(it)} <span className="mono">{words(it.lit, it.unit)}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
