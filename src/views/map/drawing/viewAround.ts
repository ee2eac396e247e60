import { PLATE } from '../../../core/maps/mapLayout.ts';

/** Space beyond the plates at the edge of the view. */
const EDGE = 24;

/** The view with a plate in its middle, or as near to it as it can be without looking past the end of the map. */
export function viewAround(
  plate: { readonly x: number; readonly y: number },
  map: { readonly width: number; readonly height: number },
  view: { readonly clientWidth: number; readonly clientHeight: number },
  zoom: number,
): { x: number; y: number; zoom: number } {
  const along = (middle: number, whole: number, length: number) => {
    const least = length - whole * zoom - EDGE;
    // What is smaller than the view stands in its middle.
    return least > EDGE ? (least + EDGE) / 2 : Math.min(EDGE, Math.max(least, length / 2 - middle * zoom));
  };
  return {
    x: along(plate.x + PLATE.width / 2, map.width, view.clientWidth),
    y: along(plate.y + PLATE.height / 2, map.height, view.clientHeight),
    zoom,
  };
}
