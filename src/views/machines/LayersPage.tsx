import type { RequestSeries } from '../../api/requests/series.ts';
import { layersSentence } from '../../core/machines/words.ts';
import { clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { MACHINE_TABS } from '../../ui/machines/machinePaths.ts';
import { useHost, useLayers, whoseQuery } from '../../ui/queries/machines.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { HostPanel } from './HostPanel.tsx';
import { LayersAside } from './LayersAside.tsx';
import { LAYERS_OPTIONS, type LayersOptions } from './layersOptions.ts';
import styles from './Machines.module.css';
import { Strata } from './Strata.tsx';
import { WhoseLayers } from './WhoseLayers.tsx';

export interface LayersFirst {
  readonly series?: RequestSeries;
  readonly options: LayersOptions;
}

const MINUTE_MS = 60_000;

/** Which layer is ill: instances on what they stand on, at one moment. */
export function LayersPage({ start, first }: { start: IslandStart; first: LayersFirst }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, LAYERS_OPTIONS);
  const found = useLayers(scope, options, options.at);
  const answer = found.data;
  const lowest = answer?.lowest ?? null;
  const machine = options.machine || machineOf(answer);
  const host = useHost(scope, machine, options.at ?? answer?.at);
  const cell =
    lowest && answer?.layers.find(({ layer }) => layer === lowest.layer)?.cells.find(({ name }) => name === lowest.name);
  const illServices = new Set(
    answer?.layers[0].cells.filter(({ standing }) => standing === 'ill').map(({ columns }) => answer.columns[columns[0]].service),
  );
  usePinnables([
    answer && {
      kind: 'layers',
      what: 'which layer is ill',
      of: 'narrowed',
      query: { at: String(answer.at), ...whoseQuery(options) },
    },
    host.data && {
      kind: 'host',
      what: `host ${host.data.name}`,
      of: 'windows',
      query: { name: host.data.name, at: String(host.data.at) },
      said: `Host ${host.data.name}`,
    },
  ]);
  const move = (minutes: number) => answer && setOptions({ at: answer.at + minutes * MINUTE_MS }, false);
  usePageKeys([
    ['ArrowLeft', () => move(-1)],
    ['ArrowRight', () => move(1)],
    ['Escape', () => setOptions({ at: undefined, machine: '' })],
  ]);
  const hasColumns = answer && answer.columns.length > 0;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Lowest ill layer"
      inspector={hasColumns ? <LayersAside answer={answer} host={host.data} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines" />
        {answer && (
          <span className="dim">
            <WhoseLayers
              whose={options}
              services={answer.columns.map(({ service }) => service)}
              instances={answer.instances}
              choose={setOptions}
            />{' '}
            at{' '}
            <button
              type="button"
              className={styles.chip}
              title="← → move the moment"
              onClick={() => setOptions({ at: undefined })}
            >
              {clockTime(answer.at, zone)}
              {answer.chosen ? ' ×' : ''}
            </button>
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {answer
          ? layersSentence(lowest, answer.instances, [...illServices], {
              reading: cell?.readings[0] ?? null,
              at: clockTime(answer.at, zone),
              unknown: answer.layers[0].cells.filter(({ standing }) => standing === 'unknown').length,
              narrowed: options.journey !== '' || scope.chips.some(({ on }) => on),
            })
          : found.error
            ? 'No answer'
            : 'Looking through the layers …'}
      </h1>
      {found.error && !answer && (
        <Emptiness
          title="Layers cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && !hasColumns && (
        <Emptiness
          title="No instance handled a request of this scope here"
          words="Instances are known from the spans that they send; what they stand on from the host.name of those and from ./dusk collect host, or any agent that sends OpenTelemetry’s system metrics."
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {hasColumns && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <Strata answer={answer} machine={machine} choose={(name) => setOptions({ machine: name })} />
          <HostPanel host={host.data} name={machine} trouble={host.error} moveTo={(at) => setOptions({ at }, false)} />
        </div>
      )}
    </Frame>
  );
}

type Layers = NonNullable<ReturnType<typeof useLayers>['data']>;

/** The machine of the lowest ill cell; else the one with most instances. */
function machineOf(answer: Layers | undefined): string {
  if (!answer) return '';
  const { lowest, columns, layers } = answer;
  if (lowest) {
    if (!['service', 'process', 'container'].includes(lowest.layer)) return lowest.name;
    const cell = layers.find(({ layer }) => layer === lowest.layer)?.cells.find(({ name }) => name === lowest.name);
    const column = cell && columns[cell.columns[0]];
    return column ? column.vm || column.host : '';
  }
  const hosts = layers.find(({ layer }) => layer === 'host')?.cells ?? [];
  return [...hosts].sort((a, b) => b.columns.length - a.columns.length)[0]?.name ?? '';
}
