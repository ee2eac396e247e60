import { describe, expect, it } from 'vitest';
import { PLATE } from '../../../core/maps/mapLayout.ts';
import { viewAround } from './viewAround.ts';

const VIEW = { clientWidth: 900, clientHeight: 500 };
const LARGE = { width: 4_000, height: 3_000 };

/** Where a plate's middle is seen. */
function seen(plate: { x: number; y: number }, { x, y, zoom }: { x: number; y: number; zoom: number }) {
  return { x: (plate.x + PLATE.width / 2) * zoom + x, y: (plate.y + PLATE.height / 2) * zoom + y };
}

describe('the first view of a map', () => {
  it('has the plate in its middle where there is map all around', () => {
    const plate = { x: 2_000, y: 1_500 };
    expect(seen(plate, viewAround(plate, LARGE, VIEW, 0.7))).toEqual({ x: 450, y: 250 });
  });

  it('does not look past the ends of the map', () => {
    const atStart = viewAround({ x: 0, y: 0 }, LARGE, VIEW, 0.7);
    expect([atStart.x, atStart.y]).toEqual([24, 24]);
    const atEnd = viewAround({ x: 3_850, y: 2_950 }, LARGE, VIEW, 0.7);
    expect(atEnd.x + LARGE.width * 0.7).toBe(900 - 24);
    expect(atEnd.y + LARGE.height * 0.7).toBe(500 - 24);
  });

  it('stands a map in its middle that is smaller than the view', () => {
    const { x, y, zoom } = viewAround({ x: 0, y: 0 }, { width: 300, height: 200 }, VIEW, 1);
    expect([x + 150 * zoom, y + 100 * zoom]).toEqual([450, 250]);
  });
});
