import { Slider } from '@mantine/core';
import type { PoolDetail } from '../../api/pools/pool.ts';
import type { PoolList } from '../../api/pools/pools.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatSessions } from '../../core/database/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { formatWait, movesSentence, poolSentence } from '../../core/pools/words.ts';
import { HURTS } from '../../core/pools/worstPart.ts';
import { clockRange, clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { databaseTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { usePool, usePools } from '../../ui/queries/pools.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { arrivalsOf, verdictOf, worstOf } from './lanes.ts';
import { POOL_OPTIONS, type PoolOptions, TARGETS } from './options.ts';
import { LineLane, UseLane } from './PoolLane.tsx';
import styles from './Pools.module.css';
import { SizingCurve } from './SizingCurve.tsx';

export interface PoolsFirst {
  readonly series?: RequestSeries;
  readonly options: PoolOptions;
}

type Listed = PoolList['pools'][number];

const MOST_INSTANCES = 4;

/** Pools of connections: arrivals or holds first, and how many connections it takes. */
export function PoolsPage({ start, first }: { start: IslandStart; first: PoolsFirst }) {
  const { scope } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, POOL_OPTIONS);
  const list = usePools(scope);
  const pools = list.data?.pools ?? [];
  const listed = pools.find(({ service, name }) => service === options.service && name === options.pool) ?? pools[0];
  const found = usePool(scope, listed && { service: listed.service, name: listed.name }, options.target);
  const it = found.data;
  usePinnables([
    it &&
      listed && {
        kind: 'pool',
        what: `pool ${listed.name} of ${listed.service}`,
        of: 'windows',
        query: { service: listed.service, pool: listed.name, target: String(options.target) },
      },
  ]);
  const tried = options.tried ?? it?.sizing.lit.enough ?? Math.round(it?.lit.size ?? 1);
  const choose = ({ service, name }: Listed) => setOptions({ service, pool: name, tried: undefined });
  const step = (by: number) => {
    const next = listed && pools[Math.min(Math.max(pools.indexOf(listed) + by, 0), pools.length - 1)];
    if (next) choose(next);
  };
  const largest = it?.sizing.lit.points.length ?? 1;
  const trySize = (size: number) => setOptions({ tried: Math.min(Math.max(size, 1), largest) }, false);
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowRight', () => trySize(tried + 1)],
    ['ArrowLeft', () => trySize(tried - 1)],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={list.isFetching || found.isFetching}
      trouble={list.data ? (list.error ?? found.error) : null}
      inspectorLabel="Pool"
      inspector={
        <div className={styles.aside}>
          {it && <IfItWere answer={it} tried={tried} trySize={trySize} />}
          <AllPools pools={pools} chosen={listed} choose={choose} />
        </div>
      }
    >
      <PageTabs label="Databases" tabs={databaseTabs()} here="/databases/pools" />
      <h1 className={styles.headline}>
        {it && listed
          ? poolSentence(listed.name || listed.service, it.lit, it.before)
          : list.error
            ? 'No answer'
            : list.data && pools.length === 0
              ? 'No pool is measured'
              : 'Looking at the pools …'}
      </h1>
      {it && (
        <p className={styles.under}>
          {listed?.name}, {it.instances.length} {it.instances.length === 1 ? 'instance' : 'instances'}.{' '}
          {it.worst && (
            <>
              Of {clockRange(it.worst.from, it.worst.to, zone, Date.parse(it.litWindow.to))}, when requests waited most in this
              window.{' '}
            </>
          )}
          {movesSentence(
            it.moved.map(({ at, ...move }) => ({ ...move, minute: at / 60_000 })),
            it.lit,
            it.before,
            zone,
          )}
        </p>
      )}
      <ChipsNote of="connections" />
      {(list.error ?? found.error) && !it && (
        <Emptiness
          title="Pools cannot be shown"
          words={(list.error ?? found.error)!.message}
          actions={[{ label: 'Try again', act: () => void list.refetch() }]}
        />
      )}
      {list.data && pools.length === 0 && (
        <Emptiness
          title="No measures of pools in these windows"
          words="Services send them by OpenTelemetry’s names: db.client.connection.max, .count, .pending_requests, .wait_time and .use_time. Most instrumentations of database drivers do."
          actions={[{ label: 'To the servers', act: () => location.assign('/databases') }]}
        />
      )}
      {it && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Pool" data-stale={found.isPlaceholderData}>
          <Lanes answer={it} />
          <div>
            <SizingCurve answer={it} tried={tried} choose={trySize} />
            <label className={styles.targets}>
              target{' '}
              <select
                value={options.target}
                onChange={(event) => setOptions({ target: Number(event.target.value), tried: undefined })}
              >
                {TARGETS.map((ms) => (
                  <option key={ms} value={ms}>
                    {formatWait(ms / 1000)}
                  </option>
                ))}
              </select>
            </label>
            <Alone answer={it} />
          </div>
          <Behind answer={it} />
        </section>
      )}
    </Frame>
  );
}

/** What was measured over time, joined by the order in which it moved. */
function Lanes({ answer }: { readonly answer: PoolDetail }) {
  const zone = useZone();
  const { lit, before, instances, moved } = answer;
  const marks = (fits: (it: PoolDetail['moved'][number]) => boolean) =>
    moved.flatMap((it, at) => (fits(it) ? [{ at: it.at, number: at + 1 }] : []));
  const frame = {
    from: answer.from,
    to: answer.to,
    lit: { from: Date.parse(answer.litWindow.from), to: Date.parse(answer.litWindow.to) },
  };
  const pair = (a: string, b: string) => (a === b ? b : `${a} → ${b}`);
  const shown = [...instances].sort((a, b) => mostPending(b) - mostPending(a)).slice(0, MOST_INSTANCES);
  return (
    <div className={styles.lanes}>
      {answer.changes.length > 0 && (
        <p className={styles.changes}>
          {answer.changes.slice(0, 4).map(({ at, title, phase }) => (
            <span key={`${at} ${title}`}>
              ▸ {clockTime(at, zone)} {title}
              {phase === 'begin' ? ' began' : phase === 'end' ? ' ended' : ''}
            </span>
          ))}
        </p>
      )}
      <LineLane
        {...frame}
        title="Arrivals"
        note={pair(formatRate(before.arrivals), formatRate(lit.arrivals))}
        lines={[{ name: 'arrivals', main: true, points: arrivalsOf(instances) }]}
        before={before.arrivals}
        format={formatRate}
        height={70}
        marks={marks(({ what }) => what === 'arrivals')}
      />
      <LineLane
        {...frame}
        title="Hold time"
        note={pair(formatWait(before.holdMean), formatWait(lit.holdMean))}
        lines={[
          { name: 'p95', main: true, points: worstOf(instances, ({ holdP95 }) => holdP95) },
          { name: 'p50', main: false, points: worstOf(instances, ({ holdP50 }) => holdP50) },
        ]}
        before={before.holdP95}
        format={formatWait}
        log
        height={84}
        marks={marks(({ what }) => what === 'holds')}
      />
      {shown.map((it, at) => (
        <UseLane
          key={it.instance}
          {...frame}
          title={it.instance || 'the pool'}
          note={`in use ${formatSessions(averaged(it.minutes, ({ used }) => used, frame.lit))}, waiting ${formatSessions(averaged(it.minutes, ({ pending }) => pending, frame.lit))}`}
          minutes={it.minutes}
          height={at === shown.length - 1 ? 112 : 96}
          times={at === shown.length - 1}
          marks={marks(({ what, of }) => (what === 'full' && of === it.instance) || (what === 'size' && at === 0))}
        />
      ))}
      {instances.length > shown.length && (
        <p className="dim">{instances.length - shown.length} more instances wait no longer than these.</p>
      )}
    </div>
  );
}

function mostPending({ minutes }: PoolDetail['instances'][number]): number {
  return Math.max(0, ...minutes.map(({ pending }) => pending ?? 0));
}

function averaged<T extends { readonly at: number }>(
  all: readonly T[],
  value: (it: T) => number | null,
  { from, to }: { readonly from: number; readonly to: number },
): number {
  const known = all.filter(({ at }) => at >= from && at < to).flatMap((it) => value(it) ?? []);
  return known.length === 0 ? 0 : known.reduce((sum, it) => sum + it, 0) / known.length;
}

/** What would be waited for with another size. */
function IfItWere({
  answer,
  tried,
  trySize,
}: {
  readonly answer: PoolDetail;
  readonly tried: number;
  readonly trySize: (size: number) => void;
}) {
  const { href } = useScope();
  const { sizing, lit, server, instances } = answer;
  const { points, enough, idle } = sizing.lit;
  const it = points.find(({ size }) => size === tried);
  const verdict = verdictOf(tried, sizing.lit);
  const copy = () => void navigator.clipboard?.writeText(String(tried));
  return (
    <section>
      <h2>
        If it were {tried}{' '}
        <span className="dim">
          an instance, with the arrivals and hold times {answer.worst ? 'of that time' : 'of the lit window'}
        </span>
      </h2>
      <Slider
        min={1}
        max={points.length}
        value={tried}
        onChange={trySize}
        thumbLabel="connections of an instance"
        marks={[enough, idle].flatMap((value) => (value === null ? [] : { value }))}
        size="sm"
      />
      {it && (
        <dl className={styles.figures}>
          <dt>p95 wait</dt>
          <dd>
            {formatWait(lit.waitP95)} → {verdict === 'backlog' ? 'without end' : formatWait(it.p95)}
          </dd>
          <dt>waiting at once</dt>
          <dd>
            {lit.pending === null ? '–' : formatSessions(lit.pending)} →{' '}
            {verdict === 'backlog' ? 'ever more' : formatSessions(it.waiting)}
          </dd>
          <dt>connections in all</dt>
          <dd>
            {lit.size === null ? '–' : Math.round(lit.size * instances.length)} → {tried * instances.length}
          </dd>
          {it.lost > 0 && (
            <>
              <dt>give up</dt>
              <dd>{(100 * it.lost).toPrecision(2)} %</dd>
            </>
          )}
        </dl>
      )}
      <p>
        {enough === null
          ? 'No size that was looked at keeps p95 under the target.'
          : `${enough} is the smallest that keeps p95 under ${formatWait(answer.target)}.`}{' '}
        {idle !== null && `From ${idle} on nobody waits.`}
      </p>
      {server && (
        <p className="dim">
          More that work on{' '}
          <a href={href(databasePath(server))} suppressHydrationWarning>
            {server}
          </a>{' '}
          at once may each take longer: see first whether it has room.
        </p>
      )}
      <button type="button" className={styles.main} onClick={copy}>
        Copy the number
      </button>
    </section>
  );
}

/** What alone would not have hurt: either size with either hold times. */
function Alone({ answer }: { readonly answer: PoolDetail }) {
  const { alone, lit, before, target } = answer;
  if (alone.length < 2 || lit.holdMean === null || before.holdMean === null) return null;
  const isHurt = (wait: number) => wait > target;
  const [wide, narrow] = alone;
  const neither = !isHurt(narrow.before) && !isHurt(wide.lit) && isHurt(narrow.lit);
  return (
    <section className={styles.alone}>
      <h2>
        {neither ? 'Neither alone would have hurt' : 'What each alone would have done'}{' '}
        <span className="dim">predicted p95 wait</span>
      </h2>
      <table>
        <thead>
          <tr>
            <th />
            <th>held {formatWait(before.holdMean)}, as before</th>
            <th>held {formatWait(lit.holdMean)}, as lit</th>
          </tr>
        </thead>
        <tbody>
          {alone.map(({ size, before: was, lit: is }) => (
            <tr key={size}>
              <th scope="row">{size} connections</th>
              {[was, is].map((wait, at) => (
                <td key={at === 0 ? 'before' : 'lit'} data-hurt={isHurt(wait)}>
                  {wait <= 0 ? 'no wait' : formatWait(wait)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The numbers behind the curve. */
function Behind({ answer }: { readonly answer: PoolDetail }) {
  return (
    <details className={styles.behind}>
      <summary>The curve as a table</summary>
      <DataTable
        title={`waits by the size of the pool to ${answer.server || 'its server'}`}
        whole
        rows={answer.sizing.lit.points}
        rowKey={({ size }) => String(size)}
        columns={[
          { key: 'connections', title: 'connections', value: ({ size }) => size },
          { key: 'p50 s', title: 'p50 wait', value: ({ p50 }) => p50, cell: ({ p50 }) => formatWait(p50) },
          { key: 'p95 s', title: 'p95 wait', value: ({ p95 }) => p95, cell: ({ p95 }) => formatWait(p95) },
          { key: 'p99 s', title: 'p99 wait', value: ({ p99 }) => p99, cell: ({ p99 }) => formatWait(p99) },
          {
            key: 'p95 range',
            title: 'p95 in the replays',
            value: ({ range }) => range[0],
            cell: ({ range }) => `${formatWait(range[0])} to ${formatWait(range[1])}`,
            beside: [['p95 to s', ({ range }) => range[1]]],
          },
          { key: 'in use', title: 'in use', value: ({ inUse }) => inUse, cell: ({ inUse }) => formatSessions(inUse) },
          { key: 'waiting', title: 'waiting', value: ({ waiting }) => waiting, cell: ({ waiting }) => formatSessions(waiting) },
        ]}
      />
    </details>
  );
}

function AllPools({
  pools,
  chosen,
  choose,
}: {
  readonly pools: readonly Listed[];
  readonly chosen: Listed | undefined;
  readonly choose: (pool: Listed) => void;
}) {
  if (pools.length === 0) return null;
  return (
    <section>
      <h2>
        All pools <span className="dim">in use of size, p95 wait</span>
      </h2>
      <ul className={styles.pools}>
        {pools.map((it) => (
          <li key={`${it.service} ${it.name}`} data-chosen={it === chosen}>
            <button type="button" onClick={() => choose(it)}>
              <StateGlyph state={stateOf(it)} />
              <span>{it.name || it.service}</span>
              <b className="mono">
                {it.lit.used === null ? '–' : formatSessions(it.lit.used)} / {it.lit.size ?? '–'}
              </b>
              <b className="mono">{formatWait(it.lit.waitP95)}</b>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function stateOf({ lit, before }: Listed) {
  if (lit.requests === 0) return 'unknown';
  if (lit.timeouts > 0) return 'failing';
  return (lit.waitP95 ?? 0) >= HURTS && (lit.waitP95 ?? 0) > 1.25 * (before.waitP95 ?? 0) ? 'strained' : 'calm';
}
