import type { ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api.js';
import ELK from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';

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

/** Graphs of more edges are laid out with less searching for the fewest crossings. */
const MANY_EDGES = 400;

let elk: InstanceType<typeof ELK> | undefined;

/**
 * Lays a map out in layers from left to right by the direction of calls, in a worker. What stands in the layout depends on who calls whom
 * alone, never on figures; nodes that were there before keep their order among each other.
 *
 * @param ids of the nodes, in an order that is the same each time
 */
export async function layOut(ids: readonly string[], edges: readonly Ends[], former?: MapLayout): Promise<MapLayout> {
  elk ??= new ELK({ workerUrl });
  const inOrder = [...ids].sort((a, b) => order(former, a) - order(former, b));
  const children: ElkNode[] = inOrder.map((id) => ({ id, ...PLATE, ...(former?.plates.get(id) ?? {}) }));
  const links: ElkExtendedEdge[] = edges
    .filter(({ from, to }) => from !== to)
    .map(({ key, from, to }) => ({ id: key, sources: [from], targets: [to] }));
  const begun = performance.now();
  const isMany = links.length > MANY_EDGES;
  const laid: ElkNode = await elk.layout(
    { id: 'map', children, edges: links },
    {
      layoutOptions: {
        ...OPTIONS,
        'elk.layered.thoroughness': isMany ? '1' : '12',
        ...(isMany ? { 'elk.layered.crossingMinimization.greedySwitch.type': 'OFF' } : {}),
        ...(former ? { 'elk.layered.crossingMinimization.semiInteractive': 'true' } : {}),
      },
    },
  );
  performance.measure('map layout', { start: begun });
  return {
    plates: new Map((laid.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x, y }])),
    ways: new Map(
      (laid.edges ?? []).map(({ id, sections }) => [
        id,
        (sections ?? []).flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]),
      ]),
    ),
    width: laid.width ?? 0,
    height: laid.height ?? 0,
  };
}

/** Where a node stood from top to bottom; new ones come last. */
function order(former: MapLayout | undefined, id: string): number {
  const place = former?.plates.get(id);
  return place ? place.y : Number.MAX_SAFE_INTEGER;
}
