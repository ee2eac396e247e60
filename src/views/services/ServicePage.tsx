import { useCallback, useMemo, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { condition } from '../../core/scope/condition.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { clockRange } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { hostPath } from '../../ui/machines/machinePaths.ts';
import { useFailures } from '../../ui/queries/failures.ts';
import { openServiceExample, useService, useServiceMeasures, useServiceTime, useStarts } from '../../ui/queries/map.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import panel from '../../ui/topology/Topology.module.css';
import { EdgeTable } from './EdgeTable.tsx';
import { Measures } from './Measures.tsx';
import { SeriesCharts } from './SeriesCharts.tsx';
import styles from './Service.module.css';
import { ServiceAside } from './ServiceAside.tsx';
import { SumTable } from './SumTable.tsx';
import { readWords, serviceHeadline, standsOut, troubleHere } from './words.ts';

export interface ServiceFirst {
  readonly name: string;
  readonly service?: ServiceOverview;
  readonly series?: RequestSeries;
}

/** One service: what changed, on which instance, in which operation, for which caller, and what moved beneath it. */
export function ServicePage({ start, first }: { start: IslandStart; first: ServiceFirst }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const { name } = first;
  const service = useService(name, scope, { data: first.service, scope: start.scope });
  const time = useServiceTime(name, scope);
  const starts = useStarts(scope, 'shown');
  const measures = useServiceMeasures(name, scope);
  // What was asked for by a click and could not be had.
  const [refused, setRefused] = useState<Error | null>(null);
  const it = service.data;
  const own = useMemo(() => condition('service', 'is', name), [name]);
  const whole = useMemo(() => it && { ...it.lit, p99Ns: it.p99Ns.lit }, [it]);
  const openExample = useCallback(
    (durationNs: number, within?: { from: number; to: number }) => {
      setRefused(null);
      openServiceExample(name, scope, durationNs, href, within).catch(setRefused);
    },
    [name, scope, href],
  );
  const traces = useMemo(() => withChip(scope, condition('service', 'is', name)), [scope, name]);
  const litFrom = it ? Date.parse(it.litWindow.from) : 0;
  const beforeFrom = it ? Date.parse(it.beforeWindow.from) : 0;
  usePinnables([
    it && { kind: 'service', what: `service ${name}`, of: 'narrowed', query: { name } },
    it && { kind: 'operations', what: 'its operations', of: 'narrowed', query: { name }, said: `Operations of ${name}` },
    measures.data && {
      kind: 'measures',
      what: 'measures that moved',
      of: 'narrowed',
      query: { name },
      said: `What ${name} and its hosts measure`,
    },
  ]);
  const outlier = it && standsOut(it.instances);
  const path = `/services/${encodeURIComponent(name)}`;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={service.isFetching || time.isFetching || measures.isFetching}
      trouble={it ? (service.error ?? refused) : null}
      inspectorLabel={`About ${name}`}
      inspector={<ServiceAside name={name} service={it} time={time.data} traces={traces} />}
    >
      <PageTabs
        label={name}
        tabs={[
          [path, name],
          [`${path}/versions`, 'Versions'],
        ]}
        here={path}
      />
      <div className={styles.head}>
        <h1>
          {service.error && !it ? 'No answer' : serviceHeadline(it, time.data, zone, start.now, troubleHere(starts.data, name))}
        </h1>
        {it && (
          <p>
            {it.namespace ? `team ${it.namespace} · ` : ''}
            {readWords(
              it.requests,
              scope.chips.some(({ on }) => on),
            )}
            held against {clockRange(beforeFrom, Date.parse(it.beforeWindow.to), zone, start.now)}
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
            <SeriesCharts
              series={it.series}
              litWindow={it.litWindow}
              beforeWindow={it.beforeWindow}
              of={own}
              whole={whole}
              openExample={openExample}
            />
            <section>
              <SumTable
                heading={<h2>Operations</h2>}
                title={`operations of ${name}`}
                head="operation"
                total
                rows={it.operations.filter(({ kind }) => kind === 'server' || kind === 'consumer')}
                nameOf={(row) => row.name}
                rowKey={({ kind, name: operation }) => `${kind} ${operation}`}
                hrefOf={(row) => href('/traces', withChip(traces, condition('operation', 'is', row.name)))}
              />
            </section>
            <section>
              <SumTable
                heading={
                  <h2>
                    Instances and versions{' '}
                    <small>{outlier ? `only ${outlier} is worse` : it.versions.map(({ version }) => version).join(', ')}</small>
                  </h2>
                }
                title={`instances of ${name}`}
                head="instance"
                rows={it.instances}
                nameOf={({ instance }) => instance || 'unnamed'}
                rowKey={({ instance, version, host }) => `${instance} ${version} ${host}`}
                hrefOf={({ instance }) => href('/traces', withChip(traces, condition('service.instance.id', 'is', instance)))}
                more={[
                  { key: 'version', title: 'version', value: ({ version }) => version || null },
                  {
                    key: 'host',
                    title: 'host',
                    value: ({ host }) => host || null,
                    cell: ({ host }) =>
                      host && (
                        <a href={href(hostPath(host))} suppressHydrationWarning>
                          {host}
                        </a>
                      ),
                  },
                ]}
              />
            </section>
            <section>
              <EdgeTable
                heading={
                  <h2>
                    Callers <small>as they measured it; between is what neither side accounts for</small>
                  </h2>
                }
                edges={it.callers}
                end="from"
                none="No callers; requests begin here."
              />
            </section>
            <section>
              <EdgeTable heading={<h2>Callees</h2>} edges={it.callees} end="to" none="No callees." />
            </section>
            <section>
              <h2>
                Failures <small>of requests that it took part in</small>
              </h2>
              <Failed scope={traces} />
            </section>
            <section>
              <h2>
                Runtime and hosts <small>moved first; of all requests, whatever the chips</small>
              </h2>
              <Measures answer={measures.data} trouble={measures.error} litFrom={litFrom} beforeFrom={beforeFrom} />
            </section>
          </section>
        )
      )}
    </Frame>
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
    <ul className={panel.list}>
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
