import type { DatabaseMoment } from '../../api/databases/moment.ts';
import { CLASS_WORDS, type WaitClass } from '../../core/database/waitClasses.ts';
import { aboutEvent } from '../../core/database/waitEvents.ts';
import { clockTime } from '../../core/time/clock.ts';
import { statementPath } from '../../ui/databases/databasePath.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { colourOfClass } from '../../ui/tide/classColours.ts';
import styles from './Databases.module.css';
import { ageWords, whoIs } from './words.ts';

interface SessionTableProps {
  readonly moment: DatabaseMoment;
  readonly server: string;
  /** Moves the moment by so many milliseconds. */
  readonly step: (ms: number) => void;
}

/** All sessions at one moment. */
export function SessionTable({ moment, server, step }: SessionTableProps) {
  const { href } = useScope();
  const zone = useZone();
  const waitOf = ({ state, waitClass }: DatabaseMoment['sessions'][number]) =>
    state === 'active' ? (CLASS_WORDS[(waitClass || 'CPU') as WaitClass]?.short ?? waitClass) : state;
  return (
    <DataTable
      title={`sessions of ${server} at ${new Date(moment.at).toISOString()}`}
      whole
      bar={
        <h3 className={styles.bartitle}>
          <button type="button" aria-label="one second back" onClick={() => step(-1000)}>
            ←
          </button>
          <span className="mono">{clockTime(moment.at, zone, true)}</span>
          <button type="button" aria-label="one second on" onClick={() => step(1000)}>
            →
          </button>
          <span className="dim">
            {moment.active} active, {moment.blocked} of them blocked, {moment.heldOpen} hold a transaction open, {moment.idle}{' '}
            idle
            {moment.most > 0 && ` of ${moment.most}`}
          </span>
        </h3>
      }
      rows={moment.sessions}
      rowKey={({ session }) => session}
      columns={[
        {
          key: 'session',
          title: 'session',
          align: 'left',
          value: ({ session }) => Number(session),
          cell: (it) => (
            <>
              <span className="mono">{it.session}</span> {whoIs(it)}
            </>
          ),
          beside: [
            ['program', ({ program }) => program],
            ['user', ({ user }) => user],
            ['client', ({ client }) => client],
            ['database', ({ database }) => database],
          ],
        },
        {
          key: 'wait',
          title: 'is',
          align: 'left',
          value: waitOf,
          cell: (it) => (
            <span
              className={styles.wait}
              title={[it.waitEvent, aboutEvent(it.waitEvent, it.waitClass)].filter(Boolean).join(': ')}
            >
              <i style={{ background: it.state === 'active' ? colourOfClass(it.waitClass || 'CPU') : 'var(--unknown)' }} />
              {waitOf(it)}
            </span>
          ),
          beside: [['wait event', ({ waitEvent }) => waitEvent]],
        },
        {
          key: 'since',
          title: 'for',
          value: ({ sinceMs }) => sinceMs,
          cell: ({ sinceMs }) => (sinceMs === null ? '–' : ageWords(sinceMs)),
        },
        {
          key: 'statement',
          title: 'statement',
          align: 'left',
          value: ({ statement, detail }) => `${statement} ${detail}`.trim(),
          cell: (it) =>
            it.statementId === '' ? (
              '–'
            ) : (
              <>
                <a href={href(statementPath(server, it.statementId))} title={it.text} suppressHydrationWarning>
                  {it.statement}
                </a>
                {it.traceId !== '' && (
                  <>
                    {' '}
                    <a href={`${href(`/traces/${it.traceId}`)}&span=${it.spanId}`} suppressHydrationWarning>
                      its trace
                    </a>
                  </>
                )}
              </>
            ),
          beside: [['trace', ({ traceId }) => traceId]],
        },
        {
          key: 'blocked by',
          title: 'waits for',
          align: 'left',
          hidden: true,
          value: ({ blockedBy }) => blockedBy.join(' '),
          cell: ({ blockedBy }) => <span className="mono">{blockedBy.join(' ')}</span>,
        },
      ]}
    />
  );
}
