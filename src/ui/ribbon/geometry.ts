/** A stretch of time, epoch milliseconds. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
}

/** What a drag that began somewhere on the ribbon changes. */
export type Grip = 'from' | 'to' | 'move' | 'draw';

/** How near to an edge, in pixels, a press takes hold of that edge. */
const EDGE = 7;
/** Pixels that words keep from an end of the ribbon, and from the window. */
const MARGIN = 4;
const GAP = 8;
/** Where a window's words tell days too, they are so many pixels wider a sign, beyond the signs of two times. */
const SIGN = 5;
const TIMES_ONLY = 11;
/** The shortest window that can be drawn. */
export const SHORTEST_MS = 60_000;

export function timeAt(x: number, view: Stretch, width: number): number {
  return view.from + (x / width) * (view.to - view.from);
}

export function xAt(time: number, view: Stretch, width: number): number {
  return ((time - view.from) / (view.to - view.from)) * width;
}

/** What a press at `x` takes hold of. */
export function gripAt(x: number, lit: Stretch, view: Stretch, width: number): Grip {
  const left = xAt(lit.from, view, width);
  const right = xAt(lit.to, view, width);
  // Of a window narrower than its edges, the nearer edge is taken.
  if (Math.abs(x - left) <= EDGE && Math.abs(x - left) <= Math.abs(x - right)) return 'from';
  if (Math.abs(x - right) <= EDGE) return 'to';
  return x > left && x < right ? 'move' : 'draw';
}

/** The window after a drag from one moment to another, never shorter than a minute. */
export function dragged(grip: Grip, lit: Stretch, pressedAt: number, nowAt: number): Stretch {
  const by = nowAt - pressedAt;
  switch (grip) {
    case 'move':
      return { from: lit.from + by, to: lit.to + by };
    case 'from':
      return { from: Math.min(lit.from + by, lit.to - SHORTEST_MS), to: lit.to };
    case 'to':
      return { from: lit.from, to: Math.max(lit.to + by, lit.from + SHORTEST_MS) };
    case 'draw': {
      const from = Math.min(pressedAt, nowAt);
      return { from, to: Math.max(pressedAt, nowAt, from + SHORTEST_MS) };
    }
  }
}

/** The view after zooming about a moment, kept within the whole. */
export function zoomed(view: Stretch, whole: Stretch, about: number, factor: number): Stretch {
  const length = Math.min(Math.max((view.to - view.from) * factor, 10 * SHORTEST_MS), whole.to - whole.from);
  const share = (about - view.from) / (view.to - view.from);
  const from = Math.min(Math.max(about - share * length, whole.from), whole.to - length);
  return { from, to: from + length };
}

/** Where words about the lit window stand: behind it, before it, or in it where it leaves room at neither side. Pixels. */
export function wordsPlace(left: number, right: number, width: number, wide: number): { left: number } | { right: number } {
  if (right + wide <= width) return { left: Math.max(MARGIN, right + GAP) };
  return left >= wide ? { right: Math.max(MARGIN, width - left + GAP) } : { left: Math.max(MARGIN, left + GAP) };
}

/** How much wider than two times the words of a window are, for the days that they tell. Pixels. */
export function daysWide(words: string): number {
  return SIGN * Math.max(0, words.length - TIMES_ONLY);
}

/**
 * Where words about the before window begin: at its bracket, or at the left when that lies outside; before the lit window where they would lie
 * across it. Pixels.
 *
 * @param bracket where the before window begins; undefined when that is not known
 * @param lit where the lit window begins, and where its own words end
 */
export function beforePlace(bracket: number | undefined, lit: readonly [number, number], width: number, wide: number): number {
  const place = Math.min(Math.max(MARGIN, bracket ?? GAP), width - wide);
  return place + wide > lit[0] && place < lit[1] ? Math.max(MARGIN, lit[0] - wide) : place;
}
