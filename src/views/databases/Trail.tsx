import type { DatabaseServer } from '../../api/databases/server.ts';
import { totalOf } from '../../core/database/load/load.ts';
import type { LoadMove } from '../../core/database/load/loadMove.ts';
import type { Dimension } from '../../core/database/sessionColumns.ts';
import type { TrailStep } from '../../core/database/trail.ts';
import { CLASS_WORDS, WAIT_CLASSES, type WaitClass } from '../../core/database/waitClasses.ts';
import { aboutEvent } from '../../core/database/waitEvents.ts';
import { formatSessions } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { Stripe } from '../../ui/charts/Stripe.tsx';
import { statementPath } from '../../ui/databases/databasePath.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { colourOfClass } from '../../ui/tide/classColours.ts';
import styles from './Databases.module.css';

type CutRow = DatabaseServer['cuts'][number]['rows'][number];

interface TrailProps {
  readonly server: string;
  readonly answer: DatabaseServer;
  readonly by: Dimension;
  readonly choose: (step: TrailStep) => void;
  readonly setBy: (by: Dimension) => void;
  /** Back to so many steps. */
  readonly back: (length: number) => void;
}

const DIMENSION_WORDS: Readonly<Record<Dimension | 'class', string>> = {
  statement: 'statement',
  table: 'table',
  event: 'wait event',
  program: 'program',
  user: 'user',
  database: 'database',
  client: 'client host',
  class: 'wait class',
};

const MOVE_WORDS: Readonly<Record<LoadMove, string>> = { up: 'grew', down: 'fell', flat: 'as before', unknown: '' };

/** What makes up the load: one part chosen inside the other, each shining down into the next. */
export function Trail({ server, answer, by, choose, setBy, back }: TrailProps) {
  const { href } = useScope();
  const { trail, cuts, chosen, lit } = answer;
  const cut = cuts.find(({ dimension }) => dimension === by) ?? cuts[0];
  const all = chosen?.value ?? 0;
  const undivided = cuts.filter(({ topShare, values }) => values > 1 && values <= 4 && topShare < 1.25 / values && topShare > 0);
  return (
    <div>
      <h2 className={styles.sub}>
        Where it sits{' '}
        <nav className={styles.crumbs} aria-label="Chosen parts of the load">
          <button type="button" onClick={() => back(0)} disabled={trail.length === 0}>
            all {lit ? formatSessions(lit.value) : ''}
          </button>
          {trail.map(({ dimension, name, value }, index) => (
            <button key={dimension} type="button" title="back to before this" onClick={() => back(index)}>
              {dimension === 'class' ? CLASS_WORDS[value as WaitClass].short : name} ×
            </button>
          ))}
        </nav>
      </h2>
      {trail
        .filter(({ siblings }) => siblings.length > 0)
        .map(({ dimension, value, load, siblings }) => {
          const most = Math.max(...siblings.map((it) => totalOf(it.lit)), 1e-9);
          return (
            <div key={dimension} className={styles.level}>
              {siblings.map((it) => (
                <button
                  key={it.value}
                  type="button"
                  style={{ flexGrow: Math.max(0.02, totalOf(it.lit) / most) }}
                  data-chosen={it.value === value}
                  title={`${it.name}: ${formatSessions(totalOf(it.lit))}`}
                  onClick={() => choose({ dimension, value: it.value })}
                >
                  <span>
                    {DIMENSION_WORDS[dimension]} {it.name}
                  </span>
                  <b className="mono">{formatSessions(it.value === value ? load : totalOf(it.lit))}</b>
                </button>
              ))}
            </div>
          );
        })}
      <div className={styles.dimensions} role="group" aria-label="Cut the load by">
        {cuts.map(({ dimension, topShare }) => (
          <button key={dimension} type="button" aria-pressed={dimension === cut?.dimension} onClick={() => setBy(dimension)}>
            {DIMENSION_WORDS[dimension]}
            <small>{topShare > 0 ? `top ${formatShare(topShare)}` : '–'}</small>
          </button>
        ))}
      </div>
      {cut && (
        <DataTable
          title={`load of ${server} by ${DIMENSION_WORDS[cut.dimension]}`}
          whole
          rows={cut.rows}
          rowKey={({ value }) => value}
          open={({ value }) => choose({ dimension: cut.dimension, value })}
          columns={[
            {
              key: 'value',
              title: DIMENSION_WORDS[cut.dimension],
              align: 'left',
              value: ({ name, detail }) => (detail ? `${name} ${detail}` : name),
              cell: (row) => (
                <span
                  className={styles.value}
                  title={
                    cut.dimension === 'event'
                      ? aboutEvent(row.value, WAIT_CLASSES[row.lit.indexOf(Math.max(...row.lit))])
                      : undefined
                  }
                >
                  <button type="button" onClick={() => choose({ dimension: cut.dimension, value: row.value })}>
                    {row.name}
                  </button>{' '}
                  {cut.dimension === 'statement' && row.value !== '' && (
                    <a
                      href={href(statementPath(server, row.value))}
                      aria-label={`open the statement ${row.name}`}
                      title="open the statement"
                      suppressHydrationWarning
                    >
                      ↗
                    </a>
                  )}{' '}
                  <span className="dim">{row.detail}</span>
                </span>
              ),
              beside: [['id', ({ value }) => value]],
            },
            {
              key: 'load',
              title: 'waiting for',
              align: 'left',
              value: (row) => totalOf(row.lit),
              cell: (row) => (
                <span className={styles.bar} style={{ width: `${Math.max(2, (100 * totalOf(row.lit)) / Math.max(all, 1e-9))}%` }}>
                  <Stripe
                    parts={WAIT_CLASSES.map((key, at) => ({
                      key: CLASS_WORDS[key].short,
                      share: totalOf(row.lit) === 0 ? 0 : row.lit[at] / totalOf(row.lit),
                      colour: colourOfClass(key),
                    }))}
                  />
                </span>
              ),
              beside: WAIT_CLASSES.map((key, at) => [key, (row: CutRow) => row.lit[at]] as const),
            },
            {
              key: 'sessions',
              title: 'sessions',
              about:
                'average active sessions, before and lit; ▲ grew, ▽ fell, each wrong once in a thousand: what is always large is no news',
              value: (row) => totalOf(row.lit),
              cell: (row) => (
                <>
                  <em className={styles.was}>{formatSessions(totalOf(row.before))} → </em>
                  {formatSessions(totalOf(row.lit))}
                  <span className={styles.move} data-move={row.move} title={MOVE_WORDS[row.move]} />
                </>
              ),
              beside: [
                ['sessions before', (row) => totalOf(row.before)],
                ['against before', ({ move }) => MOVE_WORDS[move]],
              ],
            },
            {
              key: 'share',
              title: 'share',
              value: (row) => (all === 0 ? null : totalOf(row.lit) / all),
              cell: (row) => (all === 0 ? '–' : formatShare(totalOf(row.lit) / all)),
            },
          ]}
        />
      )}
      {cut && cut.rest.values > 0 && (
        <p className="dim">
          {cut.rest.values} more come to {formatSessions(cut.rest.lit)} together.
        </p>
      )}
      {undivided.length > 0 && trail.length > 0 && (
        <p className={styles.note}>
          Does not divide it:{' '}
          {undivided
            .map(({ dimension, topShare }) => `${DIMENSION_WORDS[dimension]}, ${formatShare(topShare)} at most`)
            .join('; ')}
          .
        </p>
      )}
    </div>
  );
}
