import type { ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api.js';
import ELK from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';
import { layersOf } from '../../../core/topology/layers.ts';

/** Sizes of a plate. */
export const PLATE = { width: 150, height: 48 } as const;

interface Ends {
  readonly key: string;
  readonly from: string;
  readonly to: string;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** Where each plate stands (its upper left corner), and by which points each call runs, from caller to callee. */
export interface MapLayout {
  readonly plates: ReadonlyMap<string, Point>;
  readonly ways: ReadonlyMap<string, readonly Point[]>;
  readonly width: number;
  readonly height: number;
}

const OPTIONS = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.edgeRouting': 'POLYLINE',
  'elk.spacing.nodeNode': '20',
  'elk.spacing.edgeNode': '10',
  'elk.spacing.edgeEdge': '5',
  'elk.layered.spacing.nodeNodeBetweenLayers': '44',
  'elk.layered.spacing.edgeNodeBetweenLayers': '12',
  'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
  'elk.layered.nodePlacement.bk.fixedAlignment': 'BALANCED',
  'elk.separateConnectedComponents': 'true',
  'elk.spacing.componentComponent': '30',
  // The same graph is laid out the same way each time.
  'elk.randomSeed': '1',
} as const;

/**
 * Of graphs of more edges, those over more layers than this are drawn straight from plate to plate, and the order within layers is not
 * searched for long: each layer that an edge passes costs as much as a node.
 */
const MANY_EDGES = 400;
const LONGEST_SPAN = 2;

/** The worker takes half a second to start: it begins as soon as the page has this, not when there is something to lay out. */
let elk = typeof Worker === 'undefined' ? undefined : new ELK({ workerUrl });

/**
 * Lays a map out in layers from left to right by the direction of calls, in a worker. What stands in the layout depends on who calls whom
 * alone, never on figures; nodes that were there before keep their order among each other.
 *
 * @param ids of the nodes, in an order that is the same each time
 */
export async function layOut(ids: readonly string[], edges: readonly Ends[], former?: MapLayout): Promise<MapLayout> {
  elk ??= new ELK({ workerUrl });
  const inOrder = [...ids].sort((a, b) => order(former, a) - order(former, b));
  const begun = performance.now();
  const isMany = edges.length > MANY_EDGES;
  const layers = isMany ? layersOf([...ids], edges) : undefined;
  const span = ({ from, to }: Ends) => (layers ? layers.get(to)! - layers.get(from)! : 1);
  const children: ElkNode[] = inOrder.map((id) => ({
    id,
    ...PLATE,
    ...(former?.plates.get(id) ?? {}),
    ...(layers ? { layoutOptions: { 'elk.partitioning.partition': String(layers.get(id)) } } : {}),
  }));
  const links: ElkExtendedEdge[] = edges
    .filter((edge) => edge.from !== edge.to && span(edge) > 0 && span(edge) <= LONGEST_SPAN)
    .map(({ key, from, to }) => ({ id: key, sources: [from], targets: [to] }));
  const laid: ElkNode = await elk.layout(
    { id: 'map', children, edges: links },
    {
      layoutOptions: {
        ...OPTIONS,
        'elk.layered.thoroughness': isMany ? '1' : '12',
        ...(isMany
          ? {
              'elk.layered.crossingMinimization.greedySwitch.type': 'OFF',
              // The layers are given: there is nothing to be gained by a search for better ones.
              'elk.layered.layering.strategy': 'LONGEST_PATH_SOURCE',
              'elk.partitioning.activate': 'true',
              'elk.separateConnectedComponents': 'false',
            }
          : {}),
        ...(former ? { 'elk.layered.crossingMinimization.semiInteractive': 'true' } : {}),
      },
    },
  );
  performance.measure('map layout', { start: begun });
  const plates = new Map((laid.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x, y }]));
  const ways = new Map<string, Point[]>(
    (laid.edges ?? []).map(({ id, sections }) => [
      id,
      (sections ?? []).flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]),
    ]),
  );
  for (const { key, from, to } of edges)
    if (!ways.has(key) && from !== to) ways.set(key, straight(plates.get(from), plates.get(to)));
  return {
    plates,
    ways,
    width: laid.width ?? 0,
    height: laid.height ?? 0,
  };
}

/** Where a node stood from top to bottom; new ones come last. */
function order(former: MapLayout | undefined, id: string): number {
  const place = former?.plates.get(id);
  return place ? place.y : Number.MAX_SAFE_INTEGER;
}

/** From the right of a plate to the left of another; nothing when one of them is missing. */
function straight(from: Point | undefined, to: Point | undefined): Point[] {
  if (!from || !to) return [];
  const middle = PLATE.height / 2;
  return [
    { x: from.x + PLATE.width, y: from.y + middle },
    { x: to.x, y: to.y + middle },
  ];
}
