import type { DatabaseIndexes } from '../../api/databases/indexes.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { indexesSentence, indexOn } from '../../core/database/indexWords.ts';
import { formatSessions } from '../../core/database/words.ts';
import { formatBytes, formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { benchPath, databasePath, statementPath } from '../../ui/databases/databasePath.ts';
import { serverTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useIndexes } from '../../ui/queries/databases.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import styles from './Indexes.module.css';

export interface IndexesFirst {
  readonly name: string;
  readonly series?: RequestSeries;
}

type Missing = DatabaseIndexes['missing'][number];
type Unused = DatabaseIndexes['unused'][number];

/** Indexes that a server's plans lack, and those that nothing looks into. */
export function IndexesPage({ start, first: { name, series } }: { start: IslandStart; first: IndexesFirst }) {
  const { scope, href } = useScope();
  const found = useIndexes(name, scope);
  const it = found.data;
  const path = databasePath(name);
  return (
    <Frame
      series={{ data: series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={it ? found.error : null}
      inspectorLabel="How this is known"
      inspector={it && <HowKnown answer={it} />}
    >
      <PageTabs label="Databases" tabs={serverTabs(name)} here={`${path}/indexes`} />
      <h1 className={styles.headline}>
        {it ? indexesSentence(name, it.missing, it.unused, it) : found.error ? 'No answer' : `Looking at the plans of ${name} …`}
      </h1>
      <ChipsNote of="plans" />
      {found.error && !it && (
        <Emptiness
          title={`The indexes of ${name} cannot be shown`}
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {it && it.plans === 0 && it.indexes === 0 && (
        <Emptiness
          title={`Nothing is known of the indexes of ${name}`}
          words="./dusk collect postgres counts tables and indexes once a minute; with --plans it reports plans, too."
          actions={[{ label: `Back to ${name}`, act: () => location.assign(href(path)) }]}
        />
      )}
      {it && (it.plans > 0 || it.indexes > 0) && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Indexes" data-stale={found.isPlaceholderData}>
          <section>
            <MissingTable server={name} missing={it.missing} />
          </section>
          <section>
            <UnusedTable server={name} answer={it} />
          </section>
        </section>
      )}
    </Frame>
  );
}

function MissingTable({ server, missing }: { server: string; missing: readonly Missing[] }) {
  const { href } = useScope();
  if (missing.length === 0)
    return (
      <>
        <h2>Missing</h2>
        <p className="dim">No statement of this window looks at all of a table for a few of its rows.</p>
      </>
    );
  return (
    <DataTable
      title={`indexes missing on ${server}`}
      bar={
        <h2>
          Missing <small>all of the table is looked at for a few of its rows</small>
        </h2>
      }
      whole
      rows={missing}
      rowKey={indexOn}
      columns={[
        {
          key: 'index on',
          title: 'index on',
          align: 'left',
          value: indexOn,
          cell: (it) => <span className="mono">{indexOn(it)}</span>,
        },
        {
          key: 'statements',
          title: 'statements that would use it',
          align: 'left',
          value: ({ statements }) => statements.map((of) => `${of.name} ${of.detail}`.trim()).join('; '),
          cell: ({ statements }) => (
            <ul className={styles.statements}>
              {statements.slice(0, 3).map((of) => (
                <li key={of.id}>
                  <a href={href(statementPath(server, of.id))} suppressHydrationWarning>
                    {of.name}
                  </a>{' '}
                  <span className="dim">{of.detail}</span>
                </li>
              ))}
              {statements.length > 3 && <li className="dim">{statements.length - 3} more</li>}
            </ul>
          ),
        },
        {
          key: 'blocks a call',
          title: 'blocks a call',
          about: 'that the most costly of them looks at there, and with the index at most',
          value: ({ statements }) => statements[0].blocks,
          cell: ({ statements: [first] }) => (
            <>
              <em className={styles.was}>{formatCount(Math.round(first.blocks))} → </em>≤ {formatCount(Math.round(first.least))}
            </>
          ),
          beside: [['blocks a call with it', ({ statements }) => statements[0].least]],
        },
        {
          key: 'saves',
          title: 'saves, sessions',
          about: 'average active sessions, at most; of those that look for rows there',
          value: ({ saves }) => saves,
          cell: ({ saves, sessions }) => `≤ ${formatSessions(saves)} of ${formatSessions(sessions)}`,
          beside: [['sessions', ({ sessions }) => sessions]],
        },
        {
          key: 'costs',
          title: 'costs, rows a minute',
          about: 'rows of the table that change, each of which is written into one index more',
          value: ({ changedPerMinute }) => changedPerMinute,
          cell: ({ changedPerMinute }) => rate(changedPerMinute),
        },
        {
          key: 'try it',
          title: 'plan bench',
          about: 'runs the most costly statement with and without it, on a copy',
          value: () => null,
          cell: ({ statements: [first] }) => (
            <a href={href(benchPath(server, { id: first.id }))} suppressHydrationWarning>
              Try it
            </a>
          ),
        },
      ]}
    />
  );
}

function UnusedTable({ server, answer }: { server: string; answer: DatabaseIndexes }) {
  const { unused, indexes, isLongEnough } = answer;
  const time = formatDuration(answer.observedMs * 1e6);
  if (unused.length === 0)
    return (
      <>
        <h2>Not used</h2>
        <p className="dim">
          {indexes === 0
            ? 'Nobody counts the indexes of this server.'
            : isLongEnough
              ? `All ${indexes} were looked into in ${time}, or keep values unique.`
              : `Counted for ${time} so far: what runs once a day may still need any of the ${indexes}.`}
        </p>
      </>
    );
  return (
    <DataTable
      title={`indexes not used on ${server}`}
      bar={
        <h2>
          Not used <small>nothing looked into them in {time}, as far back as seven days</small>
        </h2>
      }
      whole
      rows={unused}
      rowKey={({ table, name }) => `${table} ${name}`}
      columns={[
        {
          key: 'index',
          title: 'index',
          align: 'left',
          value: ({ name }: Unused) => name,
          cell: ({ name }) => <span className="mono">{name}</span>,
        },
        { key: 'table', title: 'table', align: 'left', value: ({ table }) => table },
        {
          key: 'size',
          title: 'frees',
          about: 'its size on disk, bytes',
          value: ({ bytes }) => bytes,
          cell: ({ bytes }) => formatBytes(bytes),
        },
        {
          key: 'written',
          title: 'saves, rows a minute',
          about: 'rows of the table that change, each of which is written into it',
          value: ({ changedPerMinute }) => changedPerMinute,
          cell: ({ changedPerMinute }) => rate(changedPerMinute),
        },
        {
          key: 'keeps values unique',
          title: 'keeps values unique',
          value: ({ unique }) => (unique === null ? 'not told' : unique ? 'yes' : 'no'),
        },
      ]}
    />
  );
}

function rate(perMinute: number | null): string {
  if (perMinute === null) return 'not counted';
  return perMinute >= 10 ? formatCount(Math.round(perMinute)) : perMinute.toFixed(1);
}

/** What the page rests on: an index costs something, and one statement does not know of the others. */
function HowKnown({ answer: { plans, indexes, bytes } }: { answer: DatabaseIndexes }) {
  return (
    <div className={styles.aside}>
      <h2>How this is known</h2>
      <p>
        From the plans in force of {plans} {plans === 1 ? 'statement' : 'statements'} that ran in this window, and what their
        calls cost. A block for each row that a plan expects is what a call looks at with the index, at most.
      </p>
      <p>
        {indexes} {indexes === 1 ? 'index is' : 'indexes are'} counted, {formatBytes(bytes)} in all. One that keeps values unique
        is needed, used or not.
      </p>
      <p className="dim">
        An index is written with every row that changes. Try one on the plan bench before you make it: it runs the statement with
        and without it on a copy.
      </p>
    </div>
  );
}
