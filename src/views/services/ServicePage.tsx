import { useMemo } from 'react';
import type { MapAnswer } from '../../api/map/map.ts';
import type { Around } from '../../api/now/around.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { condition } from '../../core/scope/condition.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { clockRange, clockTime } from '../../core/time/clock.ts';
import { callersOf } from '../../core/topology/choose.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useFailures } from '../../ui/queries/failures.ts';
import { useMap, useService, useServiceMeasures, useServiceTime, useStarts } from '../../ui/queries/map.ts';
import { useAround, useJourneys } from '../../ui/queries/now.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import mapStyles from '../map/Map.module.css';
import { pagePath } from '../map/pagePath.ts';
import { TimeGoes } from '../map/TimeGoes.tsx';
import { Why } from '../map/Why.tsx';
import { EdgeTable } from './EdgeTable.tsx';
import { Measures } from './Measures.tsx';
import { SeriesCharts } from './SeriesCharts.tsx';
import styles from './Service.module.css';
import { SumTable } from './SumTable.tsx';
import { serviceHeadline, standsOut } from './words.ts';

export interface ServiceFirst {
  readonly name: string;
  readonly service?: ServiceOverview;
  readonly series?: RequestSeries;
}

/** One service: what changed, on which instance, in which operation, for which caller, and what moved beneath it. */
export function ServicePage({ start, first }: { start: IslandStart; first: ServiceFirst }) {
  const { scope, href, change } = useScope();
  const zone = useZone();
  const { name } = first;
  const service = useService(name, scope, { data: first.service, scope: start.scope });
  const time = useServiceTime(name, scope);
  const measures = useServiceMeasures(name, scope);
  const starts = useStarts(scope, 'shown');
  const all = useMemo(() => ({ ...scope, chips: [] }), [scope]);
  const map = useMap(all, {}, { data: undefined, scope: all });
  const around = useAround(scope, { data: undefined, scope });
  const journeys = useJourneys();
  const it = service.data;
  const traces = useMemo(() => withChip(scope, condition('service', 'is', name)), [scope, name]);
  const litFrom = it ? Date.parse(it.litWindow.from) : 0;
  const beforeFrom = it ? Date.parse(it.beforeWindow.from) : 0;
  const handled = new Set(it?.operations.map((row) => row.name));
  const own = new Set(
    journeys.data?.journeys.filter(({ entries }) => entries.some((entry) => handled.has(entry))).map((row) => row.name),
  );
  const promised = around.data?.objectives.filter(({ journey }) => own.has(journey)) ?? [];
  const outlier = it && standsOut(it.instances);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={service.isFetching || time.isFetching || measures.isFetching}
      trouble={it ? service.error : null}
      inspectorLabel={`About ${name}`}
      inspector={
        <div className={mapStyles.panel}>
          <div className={mapStyles.actions}>
            <a className={mapStyles.main} href={href('/traces', traces)} suppressHydrationWarning>
              Slow traces
            </a>
            <a href={href('/traces', withChip(traces, condition('failed', 'is', 'yes')))} suppressHydrationWarning>
              Failed traces
            </a>
            <a href={href('/now/failures', traces)} suppressHydrationWarning>
              Failures
            </a>
            <a
              href={`${href('/map')}&around=${encodeURIComponent(name)}&up=1&down=1&node=${encodeURIComponent(name)}`}
              suppressHydrationWarning
            >
              On the map
            </a>
          </div>
          <Why starts={starts.data} ids={[name]} />
          {time.data && <TimeGoes lit={time.data.lit} before={time.data.before} />}
          {time.data && (
            <p className="dim">
              by {time.data.traces.lit} of {time.data.traces.litOf} traces lit, {time.data.traces.before} of{' '}
              {time.data.traces.beforeOf} before
            </p>
          )}
          {map.data && <HurtThrough name={name} map={map.data} />}
          <Promises objectives={promised} />
          {it && (
            <Changes
              changes={it.changes}
              light={(at) => change({ ...scope, lit: { type: 'fixed', from: at - 900_000, to: at + 900_000 } })}
            />
          )}
        </div>
      }
    >
      <div className={styles.head}>
        <h1>{service.error && !it ? 'No answer' : serviceHeadline(it, time.data)}</h1>
        {it && (
          <p>
            {it.namespace ? `team ${it.namespace} · ` : ''}
            {scope.chips.some((chip) => chip.on) ? 'all its requests, chips narrow the traces · ' : ''}held against{' '}
            {clockRange(beforeFrom, Date.parse(it.beforeWindow.to), zone, start.now)}
          </p>
        )}
      </div>
      {service.error && !it ? (
        <Emptiness
          title={`Nothing can be said of ${name}`}
          words={service.error.message}
          actions={[
            { label: 'Try again', act: () => void service.refetch() },
            { label: 'To the map', act: () => location.assign(href('/map')) },
          ]}
        />
      ) : (
        it && (
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
          <section className={styles.page} tabIndex={0} aria-label={name}>
            <SeriesCharts series={it.series} litFrom={litFrom} beforeFrom={beforeFrom} />
            <section>
              <h2>Operations</h2>
              <SumTable
                head="operation"
                total
                rows={it.operations
                  .filter(({ kind }) => kind === 'server' || kind === 'consumer')
                  .map((row) => ({
                    ...row,
                    key: `${row.kind} ${row.name}`,
                    name: (
                      <a
                        href={href('/traces', withChip(traces, condition('operation', 'is', row.name)))}
                        suppressHydrationWarning
                      >
                        {row.name}
                      </a>
                    ),
                  }))}
              />
            </section>
            <section>
              <h2>
                Instances and versions{' '}
                <small>{outlier ? `only ${outlier} is worse` : it.versions.map(({ version }) => version).join(', ')}</small>
              </h2>
              <SumTable
                head="instance"
                restHeads={['version', 'host']}
                rows={it.instances.map((row) => ({
                  ...row,
                  key: `${row.instance} ${row.version} ${row.host}`,
                  name: (
                    <a
                      href={href('/traces', withChip(traces, condition('service.instance.id', 'is', row.instance)))}
                      suppressHydrationWarning
                    >
                      {row.instance || 'unnamed'}
                    </a>
                  ),
                  rest: [row.version || '–', row.host || '–'],
                }))}
              />
            </section>
            <section>
              <h2>
                Callers <small>as they measured it; between is what neither side accounts for</small>
              </h2>
              <EdgeTable edges={it.callers} end="from" none="Nobody calls it; requests begin here." />
            </section>
            <section>
              <h2>Callees</h2>
              <EdgeTable edges={it.callees} end="to" none="It calls nobody." />
            </section>
            <section>
              <h2>
                Failures <small>of requests that it took part in</small>
              </h2>
              <Failed scope={traces} />
            </section>
            <section>
              <h2>
                Runtime and hosts <small>moved first</small>
              </h2>
              <Measures answer={measures.data} trouble={measures.error} litFrom={litFrom} beforeFrom={beforeFrom} />
            </section>
          </section>
        )
      )}
    </Frame>
  );
}

/** Who comes by this service and is worse, too. */
function HurtThrough({ name, map }: { name: string; map: MapAnswer }) {
  const { href } = useScope();
  const above = callersOf(map.edges, name);
  const hurt = map.nodes.filter(({ id, state }) => above.has(id) && (state === 'strained' || state === 'failing'));
  if (hurt.length === 0) return null;
  return (
    <section>
      <h3>Who comes by here and is worse</h3>
      <ul className={mapStyles.list}>
        {hurt.map((node) => (
          <li key={node.id}>
            <a href={href(pagePath(node) ?? '/map')} suppressHydrationWarning>
              <StateGlyph state={node.state} word="" /> {node.name}
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Objectives of journeys that come in here. */
function Promises({ objectives }: { objectives: Around['objectives'] }) {
  if (objectives.length === 0) return null;
  return (
    <section>
      <h3>Objectives</h3>
      <ul className={mapStyles.list}>
        {objectives.map((it) => (
          <li key={it.journey}>
            {it.journey}
            <span>
              {it.share === null ? 'no request' : `${(it.share * 100).toFixed(2)} % good of ${it.target * 100} %`}
              {it.left !== null && `, ${Math.round(it.left * 100)} % of the allowance left`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What failed most in requests of a scope. */
function Failed({ scope }: { scope: Scope }) {
  const { href } = useScope();
  const failures = useFailures(scope, '', { data: undefined, scope });
  const groups = failures.data?.groups.slice(0, 5) ?? [];
  if (failures.error) return <p className={styles.quiet}>Failures could not be read: {failures.error.message}</p>;
  if (!failures.data) return <p className={styles.quiet}>Reading failures …</p>;
  if (groups.length === 0) return <p className={styles.quiet}>No request that it took part in has a failing span.</p>;
  return (
    <ul className={mapStyles.list}>
      {groups.map((it) => (
        <li key={it.id}>
          <a href={href('/now/failures', scope)} suppressHydrationWarning>
            {it.service}: {it.type || it.code || it.shape}
          </a>
          <span>
            {it.count} lit, {it.before} before
            {it.passedOn > 0 ? `, ${it.passedOn} only passed on` : ''}
          </span>
        </li>
      ))}
    </ul>
  );
}

function Changes({ changes, light }: { changes: ServiceOverview['changes']; light: (at: number) => void }) {
  const zone = useZone();
  return (
    <section>
      <h3>Changes</h3>
      {changes.length === 0 && <p className="dim">None in the window or two hours before it.</p>}
      <ul className={mapStyles.list}>
        {changes.map((it) => (
          <li key={`${it.at} ${it.title}`}>
            <button type="button" onClick={() => light(it.at)} title="Light the half hour around it">
              {clockTime(it.at, zone)} {it.title}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
