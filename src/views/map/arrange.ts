import type { LayoutAnswer, LayoutQuestion } from '../../api/map/layout.ts';
import type { Direction, MapLayout, Point } from '../../core/maps/mapLayout.ts';
import { edgeId } from './edgeId.ts';
import type { Shown } from './shown.ts';

/** What the server is asked for to lay out what is shown. @param former what was shown before, so that nodes keep their order */
export function layoutQuestion({ nodes, edges }: Shown, direction: Direction, former?: MapLayout): LayoutQuestion {
  const places = new Map(nodes.map(({ id }, at) => [id, at]));
  const stood = former?.direction === direction ? former.plates : undefined;
  return {
    ids: nodes.map(({ id }) => id),
    calls: edges.map(({ from, to }) => [places.get(from)!, places.get(to)!]),
    direction,
    ...(stood ? { former: nodes.map(({ id }) => pair(stood.get(id))) } : {}),
  };
}

/** The layout by the names of nodes and calls. */
export function layoutOf(
  { nodes, edges }: Shown,
  direction: Direction,
  { plates, ways, width, height }: LayoutAnswer,
): MapLayout {
  return {
    direction,
    plates: new Map(nodes.map(({ id }, at) => [id, point(plates[at])])),
    ways: new Map(edges.map((edge, at) => [edgeId(edge), ways[at].map(point)])),
    width,
    height,
  };
}

function pair(it: Point | undefined): [number, number] | null {
  return it ? [it.x, it.y] : null;
}

function point([x, y]: readonly [number, number]): Point {
  return { x, y };
}
