import type { Viewport } from '@xyflow/react';
import { PLATE } from '../../../core/maps/mapLayout.ts';
import type { CallLine } from './CallEdge.tsx';
import type { PlateNode } from './Plate.tsx';

/** Of a map of more plates or calls than these, only what is near is drawn as plates. */
const MOST_PLATES = 100;
const MOST_CALLS = 500;
/** Below this zoom no figure on a plate can be read. */
const READABLE = 0.5;
/** So much beyond the edges of the view is drawn too, in views. */
const BEYOND = 0.3;

/** Whether a map is too large to be drawn as plates and lines, each for itself. */
export function isLarge(nodes: readonly unknown[], edges: readonly unknown[]): boolean {
  return nodes.length > MOST_PLATES || edges.length > MOST_CALLS;
}

/** What the window onto the map shows. */
export interface View extends Viewport {
  readonly width: number;
  readonly height: number;
}

/** The plates of a large map that are in sight, or nearly, and can be read. */
export function nearPlates(nodes: readonly PlateNode[], { x, y, zoom, width, height }: View): PlateNode[] {
  if (zoom < READABLE) return [];
  const left = (-x - BEYOND * width) / zoom;
  const top = (-y - BEYOND * height) / zoom;
  const right = (-x + (1 + BEYOND) * width) / zoom;
  const bottom = (-y + (1 + BEYOND) * height) / zoom;
  return nodes.filter(
    ({ position: at }) => at.x + PLATE.width > left && at.x < right && at.y + PLATE.height > top && at.y < bottom,
  );
}

/** The calls between plates that are near which have more to say than that they are there. */
export function nearCalls(edges: readonly CallLine[], plates: readonly PlateNode[]): CallLine[] {
  const near = new Set(plates.map(({ id }) => id));
  return edges.filter(
    ({ source, target, data }) =>
      near.has(source) && near.has(target) && data && (data.carries !== 'none' || data.chosen || data.request !== ''),
  );
}
