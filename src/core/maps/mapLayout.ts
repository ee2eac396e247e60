/** Sizes of a plate. */
export const PLATE = { width: 150, height: 48 } as const;

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** Where calls lead: to the right, or down the page. */
export const DIRECTIONS = ['right', 'down'] as const;
export type Direction = (typeof DIRECTIONS)[number];

/** Where each plate stands (its upper left corner), and by which points each call runs, from caller to callee. */
export interface MapLayout {
  readonly direction: Direction;
  readonly plates: ReadonlyMap<string, Point>;
  readonly ways: ReadonlyMap<string, readonly Point[]>;
  readonly width: number;
  readonly height: number;
}
