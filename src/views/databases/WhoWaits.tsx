import type { DatabaseList } from '../../api/databases/list.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { CLASS_WORDS, WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { formatSessions } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { Stripe } from '../../ui/charts/Stripe.tsx';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { colourOfClass } from '../../ui/tide/classColours.ts';
import styles from './Databases.module.css';

type Program = DatabaseList['programs'][number];

/** Who waits on the servers: the sessions of each program by what they wait for. */
export function WhoWaits({ answer }: { answer: DatabaseList }) {
  const { href } = useScope();
  const rows = answer.programs.filter(({ lit, before }) => totalOf(lit) >= 0.005 || totalOf(before) >= 0.005);
  const most = Math.max(...rows.map(({ lit }) => totalOf(lit)), 0.01);
  const topOf = ({ lit }: Program) => {
    const at = lit.indexOf(Math.max(...lit));
    return totalOf(lit) === 0 ? undefined : { name: WAIT_CLASSES[at], share: lit[at] / totalOf(lit) };
  };
  return (
    <DataTable
      title="who waits on the servers"
      whole
      bar={
        <h2>
          Who waits on them <span className="dim">sessions of each program, by what they wait for</span>
        </h2>
      }
      rows={rows}
      rowKey={({ server, program }) => `${server} ${program}`}
      open={({ server, program }) =>
        location.assign(href(`${databasePath(server)}`).concat(`&trail=program:${encodeURIComponent(program)}`))
      }
      columns={[
        {
          key: 'program',
          title: 'program',
          align: 'left',
          value: ({ program }) => program,
          cell: ({ program }) => (
            <span className={styles.name}>
              <ServiceMark service={program} /> {program || <span className="dim">no name given</span>}
            </span>
          ),
        },
        {
          key: 'server',
          title: 'on',
          align: 'left',
          value: ({ server }) => server,
          cell: ({ server }) => (
            <a href={href(databasePath(server))} suppressHydrationWarning>
              {server}
            </a>
          ),
        },
        {
          key: 'sessions',
          title: 'sessions',
          about: 'average active sessions, before and lit',
          value: ({ lit }) => totalOf(lit),
          cell: ({ lit, before }) => (
            <>
              <em className={styles.was}>{formatSessions(totalOf(before))} → </em>
              {formatSessions(totalOf(lit))}
            </>
          ),
          beside: [['sessions before', ({ before }) => totalOf(before)]],
        },
        {
          key: 'load',
          title: 'waiting for',
          align: 'left',
          value: ({ lit }) => totalOf(lit),
          cell: ({ lit }) => (
            <span className={styles.bar} style={{ width: `${Math.max(1, (100 * totalOf(lit)) / most)}%` }}>
              <Stripe
                parts={WAIT_CLASSES.map((key, at) => ({
                  key: CLASS_WORDS[key].short,
                  share: totalOf(lit) === 0 ? 0 : lit[at] / totalOf(lit),
                  colour: colourOfClass(key),
                }))}
              />
            </span>
          ),
        },
        {
          key: 'most',
          title: 'most of it',
          align: 'left',
          value: (it) => topOf(it)?.name ?? null,
          cell: (it) => {
            const top = topOf(it);
            return top ? `${formatShare(top.share)} ${CLASS_WORDS[top.name].short}` : '–';
          },
        },
      ]}
    />
  );
}
