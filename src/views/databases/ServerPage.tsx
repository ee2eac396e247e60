import type { RequestSeries } from '../../api/requests/series.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { type TrailStep, writeTrail } from '../../core/database/trail.ts';
import { atWork, formatSessions, serverSentence } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { serverTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useDatabase, useSessionsAt } from '../../ui/queries/databases.ts';
import { useNoteFlags } from '../../ui/queries/ribbon.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { ClassLegend, Tide } from '../../ui/tide/Tide.tsx';
import { Blocking } from './Blocking.tsx';
import styles from './Databases.module.css';
import { HeldOpenLane } from './HeldOpenLane.tsx';
import { SERVER_OPTIONS, type ServerOptions } from './options.ts';
import { Changes, MeasureList, ServerHead } from './ServerAside.tsx';
import { SessionTable } from './SessionTable.tsx';
import { Trail } from './Trail.tsx';
import { WhoIsHurt } from './WhoIsHurt.tsx';
import { loadWords, rootWords, sinceLine } from './words.ts';

export interface ServerFirst {
  readonly name: string;
  readonly series?: RequestSeries;
  readonly options: ServerOptions;
}

/** What makes up the load of one server, and who blocks whom. */
export function ServerPage({ start, first }: { start: IslandStart; first: ServerFirst }) {
  const { name } = first;
  const { scope, change } = useScope();
  const zone = useZone();
  const notes = useNoteFlags();
  const [options, setOptions] = usePageOptions(first.options, SERVER_OPTIONS);
  const found = useDatabase(name, scope, writeTrail(options.trail));
  const it = found.data;
  const asked = useSessionsAt(name, options.at);
  const moment = (options.at === undefined ? it?.moment : asked.data?.moment) ?? undefined;
  const at = options.at ?? it?.moment?.at;
  const move = (ms: number) => at !== undefined && setOptions({ at: at + ms }, false);
  const back = () => options.trail.length > 0 && setOptions({ trail: options.trail.slice(0, -1) });
  usePageKeys([
    ['ArrowLeft', () => move(-1000)],
    ['ArrowRight', () => move(1000)],
    ['shift+ArrowLeft', () => move(-60_000)],
    ['shift+ArrowRight', () => move(60_000)],
    ['Backspace', back],
    ['Escape', () => setOptions({ at: undefined }, false)],
  ]);
  const trail = writeTrail(options.trail);
  usePinnables([
    at !== undefined &&
      moment !== undefined && {
        kind: 'blocking',
        what: `who waits for whom at ${clockTime(at, zone, true)}`,
        of: 'nothing',
        query: { name, at: new Date(at).toISOString() },
      },
    it && { kind: 'load', what: `what ${name} waits for`, of: 'windows', query: { name, ...(trail && { trail }) } },
  ]);
  const choose = (step: TrailStep) =>
    setOptions({ trail: [...options.trail.filter(({ dimension }) => dimension !== step.dimension), step] });
  const path = databasePath(name);
  const { before } = it ?? {};
  const waited = before ? totalOf(before.byClass) - atWork(before.byClass) : 0;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching || asked.isFetching}
      trouble={it ? (found.error ?? asked.error) : null}
      inspectorLabel={name}
      inspector={
        it && (
          <div className={styles.aside}>
            <ServerHead name={name} server={it} />
            <WhoIsHurt name={name} />
            <MeasureList {...it} />
            <Changes changes={it.changes} />
          </div>
        )
      }
    >
      <header className={styles.head}>
        <PageTabs label="Databases" tabs={serverTabs(name)} here={path} />
        {it?.lit && (
          <span className="dim">
            {formatCount(it.lit.samples)} samples: {formatSessions(it.lit.value)} ± {formatSessions(it.lit.error)}
            {it.coverage < 0.98 && `, sampled ${formatShare(it.coverage)} of this window`}
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {it
          ? serverSentence(loadWords(name, it), rootWords(it.blocking), it.growth)
          : found.error
            ? 'No answer'
            : `Looking at ${name} …`}
      </h1>
      <ChipsNote of="sessions" />
      {found.error && !it && (
        <Emptiness
          title={`${name} cannot be shown`}
          words={found.error.message}
          actions={[
            { label: 'Try again', act: () => void found.refetch() },
            { label: 'All servers', act: () => location.assign('/databases') },
          ]}
        />
      )}
      {it && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label={name} data-stale={found.isPlaceholderData}>
          <div className={styles.legendRow}>
            <ClassLegend
              classes={it.classes}
              lit={it.lit?.byClass ?? []}
              before={it.before?.byClass ?? null}
              chosen={options.trail.find(({ dimension }) => dimension === 'class')?.value}
              choose={(value) => {
                const others = options.trail.filter(({ dimension }) => dimension !== 'class');
                const isOn = options.trail.some((step) => step.dimension === 'class' && step.value === value);
                setOptions({ trail: isOn ? others : [...others, { dimension: 'class', value }] });
              }}
            />
            <span>
              in all{' '}
              <b className="mono">
                {it.before && <em className={styles.was}>{formatSessions(it.before.value)} → </em>}
                {it.lit ? formatSessions(it.lit.value) : '–'}
              </b>{' '}
              <span className="dim">{sinceLine(it, zone, start.now)}</span>
            </span>
          </div>
          <Tide
            name={options.trail.length > 0 ? `the chosen part of ${name}` : name}
            tide={it.tide}
            cores={it.cores}
            lit={{ from: Date.parse(it.litWindow.from), to: Date.parse(it.litWindow.to) }}
            before={options.trail.length === 0 && before ? { atWork: atWork(before.byClass), waiting: waited } : undefined}
            flags={[...it.changes, ...notes]}
            moment={at}
            height={170}
            choose={(ms) => setOptions({ at: Math.round(ms) }, false)}
            light={(from, to) => change({ ...scope, lit: { type: 'fixed', from, to } })}
          />
          <HeldOpenLane held={it.heldOpen} from={it.tide.from} to={it.tide.from + it.tide.stepMs * it.tide.samples.length} />
          <div className={styles.halves}>
            <Trail
              server={name}
              answer={it}
              by={options.by}
              choose={choose}
              setBy={(by) => setOptions({ by })}
              back={(length) => setOptions({ trail: options.trail.slice(0, length) })}
            />
            <div>
              {moment && moment.trees.length > 0 ? (
                <Blocking moment={moment} server={name} />
              ) : (
                <h2 className={styles.sub}>
                  Sessions{' '}
                  <span className="dim">
                    {moment ? `at ${clockTime(moment.at, zone, true)}, nobody waits for another` : 'no moment sampled here'}
                  </span>
                </h2>
              )}
              {moment && <SessionTable moment={moment} server={name} step={move} />}
            </div>
          </div>
        </section>
      )}
    </Frame>
  );
}
