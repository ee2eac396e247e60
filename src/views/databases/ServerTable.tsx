import { totalOf } from '../../core/database/load/load.ts';
import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { atWork, formatSessions } from '../../core/database/words.ts';
import { Stripe } from '../../ui/charts/Stripe.tsx';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { colourOfClass } from '../../ui/tide/classColours.ts';
import styles from './Databases.module.css';
import { type ListedServer, stateOf } from './words.ts';

/** Very many servers: a row each. */
export function ServerTable({
  servers,
  chosen,
  choose,
}: {
  readonly servers: readonly ListedServer[];
  readonly chosen: string | undefined;
  readonly choose: (name: string) => void;
}) {
  const { href } = useScope();
  const most = Math.max(...servers.map(({ lit }) => lit?.value ?? 0), 0.01);
  return (
    <DataTable
      title="database servers"
      rows={servers}
      rowKey={({ name }) => name}
      isChosen={({ name }) => name === chosen}
      open={({ name }) => (name === chosen ? location.assign(href(databasePath(name))) : choose(name))}
      columns={[
        {
          key: 'server',
          title: 'server',
          align: 'left',
          value: ({ name }) => name,
          cell: (it) => (
            <>
              <StateGlyph state={stateOf(it)} />{' '}
              <a href={href(databasePath(it.name))} suppressHydrationWarning>
                {it.name}
              </a>
            </>
          ),
        },
        {
          key: 'sessions',
          title: 'sessions',
          about: 'average active sessions',
          value: ({ lit }) => lit?.value ?? null,
          cell: ({ lit, before }) => (
            <>
              {before && <em className={styles.was}>{formatSessions(before.value)} → </em>}
              {lit ? formatSessions(lit.value) : 'not sampled'}
            </>
          ),
          beside: [['sessions before', ({ before }) => before?.value ?? null]],
        },
        {
          key: 'load',
          title: 'by what they wait for',
          align: 'left',
          value: ({ lit }) => lit?.value ?? null,
          cell: ({ lit }) =>
            lit && (
              <span className={styles.bar} style={{ width: `${Math.max(2, (100 * lit.value) / most)}%` }}>
                <Stripe
                  parts={WAIT_CLASSES.map((key, at) => ({
                    key,
                    share: lit.value === 0 ? 0 : lit.byClass[at] / lit.value,
                    colour: colourOfClass(key),
                  }))}
                />
              </span>
            ),
          beside: WAIT_CLASSES.map((name, at) => [name, ({ lit }: ListedServer) => lit?.byClass[at] ?? null] as const),
        },
        {
          key: 'computing',
          title: 'of cores',
          value: ({ lit, cores }) => (lit && cores > 0 ? lit.byClass[0] / cores : null),
          cell: ({ lit, cores }) => (lit && cores > 0 ? `${formatSessions(lit.byClass[0])} of ${cores}` : '–'),
        },
        {
          key: 'waiting',
          title: 'waiting',
          value: ({ lit }) => (lit ? totalOf(lit.byClass) - atWork(lit.byClass) : null),
          cell: ({ lit }) => (lit ? formatSessions(totalOf(lit.byClass) - atWork(lit.byClass)) : '–'),
        },
      ]}
    />
  );
}
