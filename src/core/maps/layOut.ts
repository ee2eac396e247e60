import type { ElkExtendedEdge, ElkNode, ELK as Engine } from 'elkjs/lib/elk.bundled.js';
import { layersOf } from '../topology/layers.ts';
import { type Direction, type MapLayout, PLATE, type Point } from './mapLayout.ts';

interface Ends {
  readonly key: string;
  readonly from: string;
  readonly to: string;
}

const OPTIONS = {
  'elk.algorithm': 'layered',
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

/** Where those stand that were not there before. */
const LAST: Point = { x: 1e6, y: 1e6 };

/** Loaded with the first map: it takes a third of a second, which no other question has to wait for. */
let engine: Promise<Engine> | undefined;

function loaded(): Promise<Engine> {
  engine ??= import('elkjs/lib/elk.bundled.js').then(({ default: ELK }) => new ELK());
  return engine;
}

/**
 * Lays a map out in layers by the direction of calls. What stands in the layout depends on who calls whom
 * alone, never on figures; nodes that were there before keep their order among each other. Computes for a second or more where there are
 * hundreds of nodes.
 *
 * @param ids of the nodes, in an order that is the same each time
 * @param former where nodes stood before
 */
export async function layOut(
  ids: readonly string[],
  edges: readonly Ends[],
  direction: Direction,
  former: ReadonlyMap<string, Point> = new Map(),
): Promise<MapLayout> {
  const across = (id: string) => former.get(id)?.[direction === 'right' ? 'y' : 'x'] ?? Number.MAX_SAFE_INTEGER;
  const inOrder = [...ids].sort((a, b) => across(a) - across(b));
  const isMany = edges.length > MANY_EDGES;
  const layers = isMany ? layersOf([...ids], edges) : undefined;
  const span = ({ from, to }: Ends) => (layers ? layers.get(to)! - layers.get(from)! : 1);
  const children: ElkNode[] = inOrder.map((id) => ({
    id,
    ...PLATE,
    layoutOptions: {
      ...(layers ? { 'elk.partitioning.partition': String(layers.get(id)) } : {}),
      ...(former.size > 0 ? standing(former.get(id) ?? LAST) : {}),
    },
  }));
  const links: ElkExtendedEdge[] = edges
    .filter((edge) => edge.from !== edge.to && span(edge) > 0 && span(edge) <= LONGEST_SPAN)
    .map(({ key, from, to }) => ({ id: key, sources: [from], targets: [to] }));
  const elk = await loaded();
  const laid: ElkNode = await elk.layout(
    { id: 'map', children, edges: links },
    {
      layoutOptions: {
        ...OPTIONS,
        'elk.direction': direction.toUpperCase(),
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
        ...(former.size > 0 ? { 'elk.layered.crossingMinimization.semiInteractive': 'true' } : {}),
      },
    },
  );
  const plates = new Map((laid.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x, y }]));
  const ways = new Map<string, Point[]>(
    (laid.edges ?? []).map(({ id, sections }) => [
      id,
      (sections ?? []).flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]),
    ]),
  );
  for (const { key, from, to } of edges)
    if (!ways.has(key) && from !== to) ways.set(key, straight(direction, plates.get(from), plates.get(to)));
  return {
    direction,
    plates,
    ways,
    width: laid.width ?? 0,
    height: laid.height ?? 0,
  };
}

/** What keeps a node in its order within the layer. */
function standing({ x, y }: Point): Record<string, string> {
  return { 'elk.position': `(${x},${y})` };
}

/** From where calls leave a plate to where they come in at another; nothing when one of them is missing. */
function straight(direction: Direction, from: Point | undefined, to: Point | undefined): Point[] {
  if (!from || !to) return [];
  const { width, height } = PLATE;
  return direction === 'right'
    ? [
        { x: from.x + width, y: from.y + height / 2 },
        { x: to.x, y: to.y + height / 2 },
      ]
    : [
        { x: from.x + width / 2, y: from.y + height },
        { x: to.x + width / 2, y: to.y },
      ];
}
