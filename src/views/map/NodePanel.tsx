import type { MapAnswer, MapNode, SumAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import type { SumPoint } from '../../api/services/figures.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { serviceColour } from '../../core/trace/serviceColour.ts';
import { SideBars } from '../../ui/charts/SideBars.tsx';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { logsPath } from '../../ui/logs/logsPath.ts';
import { layersPath } from '../../ui/machines/machinePaths.ts';
import { usePeer, useService } from '../../ui/queries/map.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { KIND_NAMES } from '../../ui/topology/kindNames.ts';
import { pagePath } from '../../ui/topology/pagePath.ts';
import { TimeGoes } from '../../ui/topology/TimeGoes.tsx';
import panel from '../../ui/topology/Topology.module.css';
import { Why } from '../../ui/topology/Why.tsx';
import { Ends } from './Ends.tsx';
import styles from './Map.module.css';
import type { MapOptions } from './options.ts';
import { failingShare, rateOf, scaleOf } from './words.ts';

interface NodePanelProps {
  readonly node: MapNode;
  readonly map: MapAnswer;
  readonly starts: Starts | undefined;
  readonly options: MapOptions;
  readonly change: (part: Partial<MapOptions>) => void;
  readonly choose: (id: string) => void;
}

/** What is to be said of one node: figures before and lit, why it stands out, where its time goes, who calls it and whom it calls. */
export function NodePanel({ node, map, starts, options, change, choose }: NodePanelProps) {
  const { scope, href } = useScope();
  const ids = [node.id, ...(node.service === null ? [] : [node.service]), ...node.members];
  const path = pagePath(node);
  const service = useService(node.kind === 'service' ? (node.service ?? '') : '', scope);
  const peer = usePeer(node.kind === 'service' || path === undefined ? '' : node.id, scope);
  const series = node.operation === null ? (service.data?.series ?? peer.data?.series) : undefined;
  const time = starts?.time.find((it) => it.service === node.service);
  const versions = service.data?.versions.filter((it) => it.lit.calls > 0).map((it) => it.version) ?? [];
  const running = service.data?.instances.filter((it) => it.lit.calls > 0).length ?? 0;
  const traces = node.service === null ? scope : withChip(scope, condition('service', 'is', node.service));
  const isAround = options.around === node.id;
  return (
    <div className={panel.panel} style={{ '--mark': colourOf(node) } as React.CSSProperties}>
      <header>
        <h2>{node.operation ? `${node.service} ${node.name}` : node.name}</h2>
        <small className="dim">
          {node.kind === 'service' && running > 0
            ? `${running} ${running === 1 ? 'instance' : 'instances'} · ${versions.join(', ')}`
            : KIND_NAMES[node.kind]}
        </small>
      </header>
      <section>
        <Measure
          name="requests"
          lit={formatRate(rateOf(node.lit, map.lit, scaleOf(map.lit)))}
          before={formatRate(rateOf(node.before, map.before, scaleOf(map.before)))}
          series={series}
          value={(it) => it.calls}
        />
        <Measure
          name="failing"
          lit={formatShare(failingShare(node.lit))}
          before={formatShare(failingShare(node.before))}
          series={series}
          value={(it) => (it.calls === 0 ? null : it.failures / it.calls)}
        />
        <Measure
          name="p50"
          lit={duration(node.lit, 'p50Ns')}
          before={duration(node.before, 'p50Ns')}
          series={series}
          value={(it) => it.p50Ns}
        />
        <Measure
          name="p95"
          lit={duration(node.lit, 'p95Ns')}
          before={duration(node.before, 'p95Ns')}
          series={series}
          value={(it) => it.p95Ns}
        />
      </section>
      <Why starts={starts} ids={ids} />
      <div className={panel.actions}>
        {node.service !== null && (
          <a className={styles.main} href={href('/traces', traces)} suppressHydrationWarning>
            Slow traces
          </a>
        )}
        {node.service !== null && node.lit.failures > 0 && (
          <a href={href('/traces', withChip(traces, condition('failed', 'is', 'yes')))} suppressHydrationWarning>
            Failed traces
          </a>
        )}
        {node.service !== null && (
          <a href={contrastPath((to) => href(to, traces), { how: 'before' })} suppressHydrationWarning>
            Contrast
          </a>
        )}
        {node.service !== null && (
          <a href={logsPath((to) => href(to, traces))} suppressHydrationWarning>
            Lines
          </a>
        )}
        {node.service !== null && (
          <a href={href(layersPath(node.service))} suppressHydrationWarning>
            Layers
          </a>
        )}
        {node.kind === 'database' && (
          <a href={href(databasePath(node.name))} suppressHydrationWarning>
            Its sessions
          </a>
        )}
        {path && (
          <a href={href(path)} suppressHydrationWarning>
            {node.kind === 'service' ? 'All of this service' : 'All of this'}
          </a>
        )}
        {node.kind === 'group' ? (
          <button type="button" onClick={() => change({ open: [...options.open, node.name], node: '' })}>
            Open the team
          </button>
        ) : (
          <button type="button" onClick={() => change(isAround ? { around: '' } : { around: node.id, up: 1, down: 1 })}>
            {isAround ? 'All of the map' : 'Only around this'}
          </button>
        )}
      </div>
      {time && <TimeGoes lit={time.lit} before={time.before} />}
      <Ends title="Called by" map={map} edges={map.edges.filter(({ to }) => to === node.id)} end="from" choose={choose} />
      <Ends title="Calls" map={map} edges={map.edges.filter(({ from }) => from === node.id)} end="to" choose={choose} />
    </div>
  );
}

interface MeasureProps {
  readonly name: string;
  readonly lit: string;
  readonly before: string;
  readonly series: { readonly lit: readonly SumPoint[]; readonly before: readonly SumPoint[] } | undefined;
  readonly value: (point: SumPoint) => number | null;
}

function Measure({ name, lit, before, series, value }: MeasureProps) {
  return (
    <div className={styles.measure}>
      <span>{name}</span>
      <b>
        {lit}
        <small>before {before}</small>
      </b>
      {series && (
        <SideBars
          className={styles.bars}
          label={`${name} by the minute, before and lit`}
          before={series.before.map(value)}
          lit={series.lit.map(value)}
        />
      )}
    </div>
  );
}

function duration(sum: SumAnswer, which: 'p50Ns' | 'p95Ns'): string {
  const ns = sum[which];
  return ns === null ? '–' : formatDuration(ns);
}

function colourOf({ kind, service, name }: MapNode): string {
  if (kind === 'service') return `var(--s-${serviceColour(service ?? name)})`;
  return kind === 'database' || kind === 'cache' ? 'var(--t-db)' : kind === 'queue' ? 'var(--t-queue)' : 'var(--t-remote)';
}
