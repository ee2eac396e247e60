import '@xyflow/react/dist/base.css';
import { IconArrowDown, IconArrowRight, IconMinus, IconPlus, IconViewportWide } from '@tabler/icons-react';
import { ReactFlow, type ReactFlowInstance } from '@xyflow/react';
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react';
import type { MapAnswer, MapNode } from '../../../api/map/map.ts';
import type { Starts } from '../../../api/map/starts.ts';
import type { TraceMap } from '../../../api/traces/touched.ts';
import { type MapLayout, PLATE } from '../../../core/maps/mapLayout.ts';
import { failureStarts, slownessStarts } from '../../../ui/topology/starting.ts';
import { timeParts } from '../../../ui/topology/stripes.ts';
import { edgeId } from '../edgeId.ts';
import styles from '../Map.module.css';
import type { Roles } from '../roles.ts';
import type { Shown } from '../shown.ts';
import { rateOf, scaleOf } from '../words.ts';
import { CallEdge, type CallLine } from './CallEdge.tsx';
import { FarMap } from './FarMap.tsx';
import { isLarge, nearCalls, nearPlates, type View } from './near.ts';
import { Plate, type PlateNode } from './Plate.tsx';
import { figureWords, nodeWords, overWords } from './plateText.ts';
import { viewAround } from './viewAround.ts';
import { firstNode, stepFrom, type Way } from './walk.ts';

interface MapCanvasProps {
  readonly map: MapAnswer;
  readonly shown: Shown;
  readonly layout: MapLayout;
  readonly starts: Starts | undefined;
  readonly roles: Roles;
  readonly request: TraceMap | undefined;
  readonly chosen: string;
  readonly sought: ReadonlySet<string> | undefined;
  readonly choose: (id: string) => void;
  readonly open: (node: MapNode) => void;
  /** Draws calls the other way: downwards, or to the right. */
  readonly turn: () => void;
}

const NODE_TYPES = { plate: Plate };
const EDGE_TYPES = { call: CallEdge };
const WAYS: Readonly<Record<string, Way>> = { ArrowLeft: 'left', ArrowRight: 'right', ArrowUp: 'up', ArrowDown: 'down' };
/** The legend stands below the plates, never on them. */
const PADDING = { top: 0.04, left: 0.06, right: 0.06, bottom: '40px' } as const;
const FIT = { padding: PADDING, maxZoom: 1.1, minZoom: 0.05 };
/** Below this nobody reads a plate. */
const READABLE = 0.5;
const FIRST_ZOOM = 0.7;

/** The map as a picture: plates in layers, calls between them. Panned by dragging, zoomed by the wheel, walked by the arrow keys. */
export function MapCanvas(props: MapCanvasProps) {
  const { map, shown, layout, starts, roles, request, chosen, sought, choose, open, turn } = props;
  const flow = useRef<ReactFlowInstance<PlateNode, CallLine>>(undefined);
  const box = useRef<HTMLDivElement>(null);

  // Of a large map, what is near once it stands still: while it moves it stays what it is.
  const [view, setView] = useState<View>();
  const large = isLarge(shown.nodes, shown.edges);

  const times = useMemo(() => new Map(starts?.time.map((it) => [it.service, it.lit])), [starts]);
  const touched = useMemo(() => request && new Map(request.nodes.map((it) => [it.id, it])), [request]);
  const nodes = useMemo(() => {
    const scale = scaleOf(map.lit);
    const isByOperation = shown.nodes.some((it) => it.operation !== null);
    return shown.nodes.map((node): PlateNode => {
      const place = layout.plates.get(node.id) ?? { x: 0, y: 0 };
      const isDim = (touched && !touched.has(node.id)) || (sought && !sought.has(node.id)) || false;
      const role = request ? ('none' as const) : roles.ofNode(node.id);
      const data = {
        node,
        role,
        direction: layout.direction,
        over: overWords(node, role, nodeWords(starts, node)),
        suffers: request ? 0 : roles.suffers(node.id),
        words: figureWords(node, rateOf(node.lit, map.lit, scale), isByOperation),
        stripe: timeParts(times.get(node.service ?? node.id)),
        dim: isDim,
        chosen: node.id === chosen,
        request: request ? requestWords(touched?.get(node.id)) : '',
      };
      return {
        id: node.id,
        type: 'plate',
        position: place,
        data,
        ...PLATE,
        ariaLabel: `${node.operation === null ? '' : `${node.service} `}${node.name}, ${data.words}`,
        draggable: false,
        connectable: false,
        zIndex: data.role.startsWith('starts') ? 2 : 1,
      };
    });
  }, [map, shown, layout, starts, roles, request, touched, chosen, sought, times]);
  const edges = useMemo(() => {
    const most = Math.max(1, ...shown.edges.map((it) => it.lit.calls));
    const ofRequest = new Map(request?.edges.map((it) => [edgeId(it), it]));
    return shown.edges.map((edge): CallLine => {
      const id = edgeId(edge);
      const carries = request ? 'none' : roles.ofEdge(edge);
      const here = ofRequest.get(id);
      return {
        id,
        source: edge.from,
        target: edge.to,
        type: 'call',
        focusable: false,
        zIndex: carries === 'none' ? 0 : 1,
        data: {
          edge,
          carries,
          way: layout.ways.get(id) ?? [],
          direction: layout.direction,
          width: 0.9 + 2.6 * Math.sqrt(Math.log1p(edge.lit.calls) / Math.log1p(most)) * (edge.lit.calls > 0 ? 1 : 0),
          dim: request ? here === undefined : sought !== undefined && !(sought.has(edge.from) && sought.has(edge.to)),
          chosen: chosen === id,
          request: here ? `${here.order}${here.calls > 1 ? ` · ${here.calls}×` : ''}` : '',
        },
      };
    });
  }, [shown, layout, roles, request, chosen, sought]);

  const near = useMemo(() => {
    if (!large) return { nodes, edges };
    const plates = view ? nearPlates(nodes, view) : [];
    return { nodes: plates, edges: nearCalls(edges, plates) };
  }, [large, nodes, edges, view]);

  // Of a large map there may be no plates that it could be fitted to.
  const showAll = () =>
    void (large
      ? flow.current?.fitBounds({ x: 0, y: 0, width: layout.width, height: layout.height }, { padding: 0.06 })
      : flow.current?.fitView(FIT));
  // A new structure is shown whole as long as that can be read, else from where trouble starts, or where most comes in; new figures leave the
  // view as it is.
  const showFirst = async () => {
    if (large || !flow.current) return showAll();
    await flow.current.fitView(FIT);
    if (flow.current.getZoom() >= READABLE) return;
    const lamps = shown.nodes.filter(({ id }) => roles.ofNode(id).startsWith('starts'));
    const most = [...failureStarts(starts), ...slownessStarts(starts)]
      .map(({ node }) => node)
      .find((id) => layout.plates.has(id));
    const plate = layout.plates.get(most ?? lamps[0]?.id ?? firstNode(shown.nodes, shown.edges));
    if (plate && box.current) await flow.current.setViewport(viewAround(plate, layout, box.current, FIRST_ZOOM));
  };
  // Where trouble starts is known later than the map: the view goes there, unless somebody has moved it or chosen something by then.
  const isOwnView = useRef(false);
  const seen = useRef<MapLayout>(undefined);
  const isTold = starts !== undefined;
  const moveByHand = (move: () => unknown) => {
    isOwnView.current = true;
    move();
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the layout says when, and whether it is told where trouble starts
  useEffect(() => {
    if (seen.current === layout && (isOwnView.current || chosen !== '')) return;
    seen.current = layout;
    isOwnView.current = false;
    const timer = setTimeout(() => void showFirst(), 0);
    return () => clearTimeout(timer);
  }, [layout, isTold]);

  const onKeyDown = (event: KeyboardEvent) => {
    const way = WAYS[event.key];
    const node = shown.nodes.find((it) => it.id === chosen);
    if (event.key === 'Enter' && node) open(node);
    else if (event.key === 'Escape') choose('');
    else if (way) {
      const next = node ? stepFrom(node.id, way, shown.edges, layout) : firstNode(shown.nodes, shown.edges);
      choose(next);
      const place = layout.plates.get(next);
      if (place && flow.current) keepInSight(flow.current, place, box.current);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <div
      ref={box}
      className={styles.canvas}
      role="application"
      aria-label="Service map. Arrow keys follow the calls, Enter opens the page, Escape clears the choice."
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the keys above
      tabIndex={0}
      onKeyDownCapture={onKeyDown}
    >
      <ReactFlow<PlateNode, CallLine>
        nodes={near.nodes}
        edges={near.edges}
        nodeTypes={NODE_TYPES}
        edgeTypes={EDGE_TYPES}
        onInit={(it) => {
          flow.current = it;
          void showFirst();
        }}
        onNodeClick={(_, node) => choose(node.id)}
        onNodeDoubleClick={(_, { data }) => open(data.node)}
        onEdgeClick={(_, edge) => choose(edge.id)}
        onPaneClick={() => choose('')}
        nodesDraggable={false}
        nodesConnectable={false}
        nodesFocusable={false}
        edgesFocusable={false}
        elementsSelectable={false}
        zoomOnDoubleClick={false}
        minZoom={0.05}
        maxZoom={2.5}
        onMoveStart={(event) => {
          // Of a move that the program makes there is no event.
          if (event) isOwnView.current = true;
          box.current?.setAttribute('data-moving', large && near.nodes.length === 0 ? 'far' : 'near');
        }}
        onMoveEnd={(_, viewport) => {
          box.current?.removeAttribute('data-moving');
          if (large && box.current) setView({ ...viewport, width: box.current.clientWidth, height: box.current.clientHeight });
        }}
        proOptions={{ hideAttribution: true }}
      >
        {large && <FarMap layout={layout} nodes={nodes} edges={edges} choose={choose} open={open} />}
      </ReactFlow>
      <p className={styles.legend}>
        <span>lamp: trouble starts here</span>
        <span>
          {layout.direction === 'right'
            ? 'lit edge, “passes on ›”: suffers what starts further right'
            : 'lit edge, “passes on ↓”: suffers what starts further down'}
        </span>
        <span>stripe: where the time goes</span>
        {touched && <span>“10 · 2×” on a line: the tenth call of the request, made twice</span>}
      </p>
      <div className={styles.zoom}>
        <button
          type="button"
          aria-label={layout.direction === 'right' ? 'Draw calls downwards' : 'Draw calls to the right'}
          title={layout.direction === 'right' ? 'Draw calls downwards' : 'Draw calls to the right'}
          onClick={turn}
        >
          {layout.direction === 'right' ? <IconArrowDown size={14} /> : <IconArrowRight size={14} />}
        </button>
        <button type="button" aria-label="Zoom out" onClick={() => moveByHand(() => flow.current?.zoomOut())}>
          <IconMinus size={14} />
        </button>
        <button type="button" aria-label="Zoom in" onClick={() => moveByHand(() => flow.current?.zoomIn())}>
          <IconPlus size={14} />
        </button>
        <button type="button" aria-label="Show all of it" onClick={() => moveByHand(showAll)}>
          <IconViewportWide size={14} />
        </button>
      </div>
    </div>
  );
}

function requestWords(touched: TraceMap['nodes'][number] | undefined): string {
  if (!touched) return '';
  const share = touched.share >= 0.005 ? `${Math.round(touched.share * 100)} % of its time` : '';
  return [share, touched.failed ? 'failed' : ''].filter((it) => it !== '').join(', ');
}

/** Moves the view so far that a plate is in it. */
function keepInSight(
  flow: ReactFlowInstance<PlateNode, CallLine>,
  place: { x: number; y: number },
  box: HTMLElement | null,
): void {
  if (!box) return;
  const { x, y, zoom } = flow.getViewport();
  const left = place.x * zoom + x;
  const top = place.y * zoom + y;
  const { width, height } = box.getBoundingClientRect();
  const isIn = left > 20 && top > 20 && left + PLATE.width * zoom < width - 20 && top + PLATE.height * zoom < height - 20;
  if (!isIn) void flow.setCenter(place.x + PLATE.width / 2, place.y + PLATE.height / 2, { zoom });
}
