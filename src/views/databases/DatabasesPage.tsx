import type { DatabaseList } from '../../api/databases/list.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { atWork, formatSessions } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { databaseTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useDatabases } from '../../ui/queries/databases.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { ClassLegend, Tide } from '../../ui/tide/Tide.tsx';
import styles from './Databases.module.css';
import { LIST_OPTIONS, type ListOptions } from './options.ts';
import { ServerAside } from './ServerAside.tsx';
import { ServerTable } from './ServerTable.tsx';
import { WhoWaits } from './WhoWaits.tsx';
import { coresLine, databasesHeadline, type ListedServer, othersLine, sinceLine, stateOf } from './words.ts';

export interface DatabasesFirst {
  readonly series?: RequestSeries;
  readonly options: ListOptions;
}

/** Servers that are drawn one by one; more of them stand in a table. */
const MOST_DRAWN = 12;
const THIN = 34;

/** Which server, waiting for what, and who suffers. */
export function DatabasesPage({ start, first }: { start: IslandStart; first: DatabasesFirst }) {
  const { scope, href, change } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, LIST_OPTIONS);
  const found = useDatabases(scope);
  const answer = found.data;
  const servers = answer?.servers.filter(({ name }) => !options.hidden.includes(name)) ?? [];
  const chosen = servers.find(({ name }) => name === options.server) ?? servers[0];
  usePinnables([
    chosen && { kind: 'load', what: `what ${chosen.name} waits for`, of: 'windows', query: { name: chosen.name } },
    answer && { kind: 'databases', what: 'load of all servers', of: 'windows' },
  ]);
  const step = (by: number) => {
    const at = servers.indexOf(chosen);
    const next = servers[Math.min(Math.max(at + by, 0), servers.length - 1)];
    if (next) setOptions({ server: next.name }, false);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
    ['Enter', () => chosen && location.assign(href(databasePath(chosen.name)))],
  ]);
  const light = (from: number, to: number) => change({ ...scope, lit: { type: 'fixed', from, to } });
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Server"
      inspector={chosen && <ServerAside name={chosen.name} />}
    >
      <header className={styles.head}>
        <PageTabs label="Databases" tabs={databaseTabs()} here="/databases" />
        {answer && servers.length > 0 && (
          <span className="dim">
            {answer.servers.length} {answer.servers.length === 1 ? 'server' : 'servers'}, worst first
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {answer ? databasesHeadline({ ...answer, servers }) : found.error ? 'No answer' : 'Looking at the servers …'}
      </h1>
      <ChipsNote of="sessions" />
      {answer && servers.length > 0 && <p className={styles.under}>{othersLine({ ...answer, servers })}</p>}
      {found.error && !answer && (
        <Emptiness
          title="Servers cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.servers.length === 0 && (
        <Emptiness
          title="No sampler reported in these windows"
          words="Run ./dusk collect postgres beside a server to see what its sessions wait for, or light a time in which one reported."
          actions={[
            {
              label: 'Light the last hour',
              act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }),
            },
          ]}
        />
      )}
      {answer && answer.servers.length > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Database servers" data-stale={found.isPlaceholderData}>
          {servers.length > MOST_DRAWN ? (
            <ServerTable servers={servers} chosen={chosen?.name} choose={(name) => setOptions({ server: name }, false)} />
          ) : (
            servers.map((it) => (
              <ServerCard
                key={it.name}
                server={it}
                answer={answer}
                isChosen={it === chosen}
                zone={zone}
                light={light}
                choose={() => setOptions({ server: it.name }, false)}
                hide={() => setOptions({ hidden: [...options.hidden, it.name] })}
              />
            ))
          )}
          {options.hidden.length > 0 && (
            <p className={styles.hidden}>
              Hidden: {options.hidden.join(', ')}.{' '}
              <button type="button" onClick={() => setOptions({ hidden: [] })}>
                Show them
              </button>
            </p>
          )}
          <WhoWaits answer={answer} />
        </section>
      )}
    </Frame>
  );
}

interface ServerCardProps {
  readonly server: ListedServer;
  readonly answer: DatabaseList;
  readonly isChosen: boolean;
  readonly zone: string;
  readonly light: (from: number, to: number) => void;
  readonly choose: () => void;
  readonly hide: () => void;
}

function ServerCard({ server, answer, isChosen, zone, light, choose, hide }: ServerCardProps) {
  const { href } = useScope();
  const { name, lit, before, move, cores, tide, coverage } = server;
  const isThin = move === 'flat' || !lit;
  const flags = answer.changes.filter(({ about }) => about === name);
  const window = { from: Date.parse(answer.litWindow.from), to: Date.parse(answer.litWindow.to) };
  const path = href(databasePath(name));
  const sessions = lit && (
    <>
      {before && <em className={styles.was}>{formatSessions(before.value)} → </em>}
      {formatSessions(lit.value)}
    </>
  );
  return (
    <article className={styles.card} data-chosen={isChosen} data-thin={isThin} onPointerDown={choose}>
      <div className={styles.about}>
        <StateGlyph state={stateOf(server)} />
        <div>
          <h2>
            <a href={path} suppressHydrationWarning>
              {name}
            </a>
          </h2>
          {!isThin && (
            <>
              <p>
                <b className="mono">{sessions}</b> sessions
                {lit && <span className="dim"> ± {formatSessions(lit.error)}</span>}
              </p>
              <p>
                {sinceLine(server, zone, window.to)}{' '}
                {server.worst && (
                  <button type="button" onClick={() => light(server.worst!.from, server.worst!.to)}>
                    light it
                  </button>
                )}
              </p>
              <p className="dim">{coresLine(server)}</p>
              {coverage < 0.98 && <p className="dim">sampled {formatShare(coverage)} of this window</p>}
              <div className={styles.actions}>
                <a href={path} className={styles.main} suppressHydrationWarning>
                  Open
                </a>
                <button type="button" onClick={hide}>
                  Hide
                </button>
              </div>
            </>
          )}
        </div>
      </div>
      <Tide
        name={name}
        tide={tide}
        cores={cores}
        lit={window}
        before={
          before ? { atWork: atWork(before.byClass), waiting: totalOf(before.byClass) - atWork(before.byClass) } : undefined
        }
        flags={flags}
        height={isThin ? THIN : 134}
        thin={isThin}
        light={light}
      />
      {isThin ? (
        <p className={styles.calm}>
          <span className="mono">{sessions ?? '–'}</span>{' '}
          <span className="dim">{lit ? 'sessions, as before' : 'not sampled in this window'}</span>
        </p>
      ) : (
        <ClassLegend classes={answer.classes} lit={lit?.byClass ?? []} before={before?.byClass ?? null} />
      )}
      <span className={styles.sight}>
        {flags.map(({ at, title }) => (
          <span key={`${at} ${title}`}>
            {clockTime(at, zone)} {title}
          </span>
        ))}
      </span>
    </article>
  );
}
