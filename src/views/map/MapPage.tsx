import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useRef, useState } from 'react';
import type { LayoutAnswer } from '../../api/map/layout.ts';
import type { MapAnswer, MapNode } from '../../api/map/map.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceMap } from '../../api/traces/touched.ts';
import type { Direction, MapLayout } from '../../core/maps/mapLayout.ts';
import { clockRange } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { NothingHere } from '../../ui/empty/NothingHere.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { shownName } from '../../ui/list/shownName.ts';
import { askLayout, useMap, useStarts, useTraceMap } from '../../ui/queries/map.ts';
import { useRequestSeries } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { pagePath } from '../../ui/topology/pagePath.ts';
import { layoutOf, layoutQuestion } from './arrange.ts';
import { MapCanvas } from './drawing/MapCanvas.tsx';
import { saveMap } from './drawing/saveMap.ts';
import { EdgePanel } from './EdgePanel.tsx';
import { edgeId } from './edgeId.ts';
import styles from './Map.module.css';
import { MapPanel } from './MapPanel.tsx';
import { MapTable } from './MapTable.tsx';
import { MapToolbar } from './MapToolbar.tsx';
import { NodePanel } from './NodePanel.tsx';
import { ADDRESSED, type MapOptions, mapQuery, USUAL_OPTIONS } from './options.ts';
import { rolesOf } from './roles.ts';
import { type Shown, shownOf } from './shown.ts';
import { mapHeadline } from './words.ts';

export interface MapFirst {
  readonly map?: MapAnswer;
  readonly layout?: LayoutAnswer;
  readonly series?: RequestSeries;
  readonly options: MapOptions;
}

/** Who calls whom, and where trouble starts. */
export function MapPage({ start, first }: { start: IslandStart; first: MapFirst }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const [options, changeOptions] = usePageOptions(first.options, ADDRESSED);
  // What is only looked at is no step of the browser's history.
  const change = (part: Partial<MapOptions>) => changeOptions(part, !Object.keys(part).every((name) => name === 'node'));
  const query = mapQuery(options);
  const series = { data: first.series, scope: start.scope };
  const requests = useRequestSeries(scope, series);
  const isFirst = JSON.stringify(query) === JSON.stringify(mapQuery(first.options));
  const map = useMap(scope, query, { data: isFirst ? first.map : undefined, scope: start.scope });
  const starts = useStarts(scope, options.clientErrors);
  const trace = useTraceMap(options.trace);
  const [sought, setSought] = useState('');
  const search = useRef<HTMLInputElement>(null);

  const answer = useMemo(() => (map.data && trace.data ? withRequest(map.data, trace.data) : map.data), [map.data, trace.data]);
  const shown = useMemo(() => answer && shownOf(answer, options), [answer, options]);
  const roles = useMemo(() => rolesOf(starts.data, answer), [starts.data, answer]);
  const found = useMemo(() => {
    const text = sought.trim().toLowerCase();
    if (text === '' || !shown) return undefined;
    return new Set(shown.nodes.filter((it) => `${it.service ?? ''} ${it.name}`.toLowerCase().includes(text)).map((it) => it.id));
  }, [sought, shown]);

  usePinnables([
    starts.data && { kind: 'starts', what: 'where it starts', of: 'narrowed', query: { clientErrors: options.clientErrors } },
  ]);
  const layout = useLayout(shown, options.direction, isFirst ? first : undefined);

  const choose = (node: string) => change({ node });
  const open = (node: MapNode) => {
    const path = pagePath(node);
    if (path) location.href = href(path);
    else if (node.kind === 'group') change({ open: [...options.open, node.name], node: '' });
  };
  usePageKeys([
    ['f', () => search.current?.focus()],
    ['t', () => change({ as: options.as === 'table' ? 'picture' : 'table' })],
    ['Escape', () => choose('')],
  ]);

  const node = answer?.nodes.find((it) => it.id === options.node);
  const edge = answer?.edges.find((it) => edgeId(it) === options.node);
  const before = answer && clockRange(Date.parse(answer.before.from), Date.parse(answer.before.to), zone, start.now);
  const against =
    options.of === 'all'
      ? `held against ${before}`
      : options.of === 'slow'
        ? 'slow ones, against the rest'
        : 'failed ones, against the rest';
  const isEmpty = answer !== undefined && answer.nodes.length === 0;
  const isNarrowedAway = shown !== undefined && !isEmpty && shown.nodes.length === 0;
  return (
    <Frame
      series={series}
      now={start.now}
      busy={map.isFetching || starts.isFetching}
      trouble={answer ? map.error : null}
      inspectorLabel={node ? node.name : 'About the map'}
      inspector={
        !answer ? (
          <p className="dim">Looking …</p>
        ) : node ? (
          <NodePanel node={node} map={answer} starts={starts.data} options={options} change={change} choose={choose} />
        ) : edge ? (
          <EdgePanel edge={edge} map={answer} choose={choose} />
        ) : (
          <MapPanel
            map={answer}
            unknownCalls={shown?.unknownCalls ?? 0}
            starts={starts.data}
            trouble={starts.error}
            choose={choose}
          />
        )
      }
    >
      <div className={styles.head}>
        <h1>{map.error && !answer ? 'No answer' : headline(answer, starts.data, starts.error, trace.data)}</h1>
        {answer && !isEmpty && <p>{against}</p>}
      </div>
      {options.trace !== '' && (
        <div className={styles.request}>
          {trace.error
            ? `The request could not be read: ${trace.error.message}`
            : 'One request: what it did not touch is dim; what stands in the plates is of all requests.'}
          <a href={href(`/traces/${options.trace}`)} suppressHydrationWarning>
            its timeline
          </a>
          <button type="button" onClick={() => change({ trace: '' })}>
            all requests
          </button>
        </div>
      )}
      {answer && !isEmpty && (
        <MapToolbar
          options={options}
          change={change}
          namespaces={answer.namespaces}
          aroundName={answer.nodes.find((it) => it.id === options.around)?.name ?? options.around}
          sought={sought}
          seek={setSought}
          toFound={() => {
            const [id] = found ?? [];
            if (id !== undefined) choose(id);
          }}
          search={search}
          save={(as) => void saveMap(as, { map: answer, shown: shown!, layout: layout.data, starts: starts.data, roles })}
        />
      )}
      {map.error && !answer ? (
        <Emptiness
          title="The map could not be drawn"
          words={map.error.message}
          actions={[{ label: 'Try again', act: () => void map.refetch() }]}
        />
      ) : isEmpty ? (
        <NothingHere kept={requests.data?.kept ?? null} known={requests.data !== undefined} now={start.now} />
      ) : isNarrowedAway ? (
        <Emptiness
          title="Nothing is left to draw"
          words="The options leave out every node of the map."
          actions={[
            {
              label: 'Draw all of it',
              act: () => change({ least: 0, changed: false, around: USUAL_OPTIONS.around }),
            },
          ]}
        />
      ) : answer && shown && options.as === 'table' ? (
        <MapTable map={answer} shown={shown} roles={roles} chosen={options.node} choose={choose} />
      ) : answer && shown && layout.data ? (
        <MapCanvas
          map={answer}
          shown={shown}
          layout={layout.data}
          starts={starts.data}
          roles={roles}
          request={trace.data}
          chosen={options.node}
          sought={found}
          choose={choose}
          open={open}
          turn={() => change({ direction: options.direction === 'down' ? 'right' : 'down' })}
        />
      ) : layout.error ? (
        <Emptiness
          title="The map could not be laid out"
          words={layout.error.message}
          actions={[
            { label: 'Show it as a table', act: () => change({ as: 'table' }) },
            { label: 'Try again', act: () => void layout.refetch() },
          ]}
        />
      ) : (
        <div className={styles.canvas}>
          <p className={styles.waiting}>Laying out the map …</p>
        </div>
      )}
    </Frame>
  );
}

/** Where things stand. What is shown is laid out anew when other nodes or calls are, not when their figures change. */
function useLayout(shown: Shown | undefined, direction: Direction, first: MapFirst | undefined) {
  const known = useMemo(() => {
    if (!first?.map || !first.layout) return undefined;
    const firstShown = shownOf(first.map, first.options);
    const { direction: to } = first.options;
    return { layout: layoutOf(firstShown, to, first.layout), key: JSON.stringify(layoutKey(firstShown, to)) };
  }, [first]);
  const key = useMemo(() => layoutKey(shown, direction), [shown, direction]);
  const former = useRef<MapLayout>(known?.layout);
  return useQuery({
    queryKey: key,
    queryFn: async ({ signal }) => {
      const answer = await askLayout(layoutQuestion(shown!, direction, former.current), signal);
      former.current = layoutOf(shown!, direction, answer);
      return former.current;
    },
    enabled: shown !== undefined && shown.nodes.length > 0,
    initialData: () => (known && known.key === JSON.stringify(key) ? known.layout : undefined),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });
}

/** The same for what is laid out the same way. */
function layoutKey(it: Shown | undefined, direction: Direction) {
  return ['layout', direction, it?.nodes.map(({ id }) => id), it?.edges.map(edgeId)];
}

function headline(
  map: MapAnswer | undefined,
  starts: Parameters<typeof mapHeadline>[1],
  trouble: Error | null,
  request: TraceMap | undefined,
): string {
  if (request) {
    const touched = request.nodes.length;
    return `${shownName(request.entry)}, ${formatDuration(request.durationNs)}: ${touched} places, ${request.edges.reduce((sum, it) => sum + it.calls, 0)} calls`;
  }
  return trouble && map ? 'Where trouble starts could not be worked out' : mapHeadline(map, starts);
}

/** The map with what one request touched, also where that lies outside the window. */
function withRequest(map: MapAnswer, request: TraceMap): MapAnswer {
  const none = { calls: 0, failures: 0, clientErrors: 0, meanNs: null, totalNs: 0, p50Ns: null, p95Ns: null };
  const known = new Set(map.nodes.map((it) => it.id));
  const edges = new Set(map.edges.map(edgeId));
  const rest = { lit: none, before: none, state: 'unknown', turn: 'stays' } as const;
  return {
    ...map,
    nodes: [
      ...map.nodes,
      ...request.nodes
        .filter(({ id }) => !known.has(id))
        .map(({ id }): MapNode => {
          const [kind, ...name] = id.split(':');
          const isPeer = kind === 'database' || kind === 'cache' || kind === 'queue';
          const of = isPeer ? { kind, name: name.join(':') } : { kind: 'peer' as const, name: id };
          return { id, ...of, service: null, operation: null, namespace: null, members: [], changed: null, ...rest } as MapNode;
        }),
    ],
    edges: [
      ...map.edges,
      ...request.edges
        .filter((it) => !edges.has(edgeId(it)))
        .map(({ from, to, protocol }) => ({ from, to, protocol, litCallee: none, beforeCallee: none, ...rest })),
    ],
  };
}
