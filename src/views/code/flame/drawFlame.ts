import type { CodeProfile } from '../../../api/code/profile.ts';
import type { FlameLayout } from '../../../core/profile/flameLayout.ts';
import { percent, placeOf, shortName } from '../../../core/profile/words.ts';

type Tree = CodeProfile['tree'];

export const LEVEL = 20;
export const THIN_LEVEL = 14;
/** Boxes narrower than this many pixels are not drawn, nor what lies under them. */
const NARROWEST = 0.6;
const FITS_TEXT = 30;

/** Colours of the scheme, read once a drawing. */
export interface FlameColours {
  readonly own: string;
  readonly library: string;
  readonly grown: string;
  readonly before: string;
  readonly beforeLibrary: string;
  readonly text: string;
  readonly ink: string;
  readonly dim: string;
  readonly ground: string;
  readonly font: string;
}

export function flameColours(element: HTMLElement): FlameColours {
  const style = getComputedStyle(element);
  const read = (name: string) => style.getPropertyValue(name).trim();
  return {
    own: read('--t-own'),
    library: read('--raised'),
    grown: read('--lit'),
    before: read('--before'),
    beforeLibrary: read('--line-soft'),
    text: read('--text'),
    ink: read('--lit-ink'),
    dim: read('--text-3'),
    ground: read('--ground'),
    font: read('--font-mono'),
  };
}

/** A part of the whole width that fills the picture. */
export interface Zoom {
  readonly left: number;
  readonly width: number;
}

interface Drawing {
  readonly context: CanvasRenderingContext2D;
  readonly tree: Tree;
  readonly layout: FlameLayout;
  readonly colours: FlameColours;
  readonly zoom: Zoom;
  readonly width: number;
  readonly isFound: (frame: number) => boolean;
  readonly searching: boolean;
}

/** How far a level lies from the top of the picture. */
export type LevelTop = (depth: number) => number;

interface LitDrawing extends Drawing {
  readonly top: LevelTop;
  readonly chosen: number;
  /** Whether before and lit are shares of their totals that can be held against each other. */
  readonly pairs: boolean;
}

/** The lit side, downward: own code and libraries, gold where a box is wider than it was, an edge where before ended. Cost O(boxes that can be seen). */
export function drawLit(drawing: LitDrawing): void {
  const { context, tree, layout, colours, top, chosen, pairs } = drawing;
  context.font = `11.5px ${colours.font}`;
  context.textBaseline = 'middle';
  const [litWhole, beforeWhole] = [tree.lit[0] || 1, tree.before[0] || 1];
  eachSeen(drawing, (node, x, boxWidth) => {
    if (node === 0) return;
    const frame = tree.frames[tree.frame[node]];
    const y = top(layout.depth[node]);
    const shareLit = tree.lit[node] / litWhole;
    const shareBefore = pairs ? tree.before[node] / beforeWhole : shareLit;
    context.globalAlpha = drawing.searching && !drawing.isFound(tree.frame[node]) ? 0.25 : 1;
    context.fillStyle = frame.own ? colours.own : colours.library;
    context.fillRect(x, y, boxWidth - 0.5, LEVEL - 1.5);
    if (shareBefore < shareLit - 1e-4) {
      const kept = (boxWidth * shareBefore) / shareLit;
      context.fillStyle = colours.grown;
      if (!frame.own) context.globalAlpha *= 0.45;
      context.fillRect(x + kept, y, boxWidth - kept - 0.5, LEVEL - 1.5);
      context.globalAlpha = drawing.searching && !drawing.isFound(tree.frame[node]) ? 0.25 : 1;
      if (kept > 1) {
        context.fillStyle = colours.before;
        context.fillRect(x + kept - 1, y, 2, LEVEL - 1.5);
      }
    }
    if (node === chosen) {
      context.strokeStyle = colours.text;
      context.lineWidth = 2;
      context.strokeRect(x + 1, y + 1, boxWidth - 2.5, LEVEL - 3.5);
    }
    if (boxWidth < FITS_TEXT) return;
    const onGold = frame.own && shareBefore < 0.35 * shareLit;
    context.fillStyle = frame.own ? (onGold ? colours.ink : colours.ground) : colours.text;
    const shares = pairs ? `${percent(shareBefore)} → ${percent(shareLit)} %` : `${percent(shareLit)} %`;
    writeIn(context, `${shortName(frame.name)}  ${placeOf(frame)}`, shares, x, y + LEVEL / 2, boxWidth);
  });
  context.globalAlpha = 1;
}

/** The side of before, upward and lower: what it was made of. */
export function drawBefore(drawing: Drawing & { readonly bottom: (depth: number) => number }): void {
  const { context, tree, layout, colours, bottom } = drawing;
  context.font = `10.5px ${colours.font}`;
  context.textBaseline = 'middle';
  eachSeen(drawing, (node, x, boxWidth) => {
    if (node === 0) return;
    const frame = tree.frames[tree.frame[node]];
    const y = bottom(layout.depth[node]);
    context.globalAlpha = drawing.searching && !drawing.isFound(tree.frame[node]) ? 0.25 : frame.own ? 0.8 : 1;
    context.fillStyle = frame.own ? colours.before : colours.beforeLibrary;
    context.fillRect(x, y, boxWidth - 0.5, THIN_LEVEL - 1.5);
    if (boxWidth < FITS_TEXT) return;
    context.globalAlpha = 1;
    context.fillStyle = frame.own ? colours.ground : colours.dim;
    writeIn(context, shortName(frame.name), '', x, y + THIN_LEVEL / 2 - 0.5, boxWidth);
  });
  context.globalAlpha = 1;
}

/** Every box that can be seen, with where it lies in pixels. What lies under a box that is too narrow is passed over. */
function eachSeen({ layout, zoom, width }: Drawing, draw: (node: number, x: number, width: number) => void): void {
  const scale = width / zoom.width;
  for (let node = 0; node < layout.left.length; ) {
    const x = (layout.left[node] - zoom.left) * scale;
    const boxWidth = layout.width[node] * scale;
    if (boxWidth < NARROWEST || x >= width || x + boxWidth <= 0) {
      node = layout.end[node];
      continue;
    }
    const from = Math.max(0, x);
    draw(node, from, Math.min(width, x + boxWidth) - from);
    node++;
  }
}

function writeIn(context: CanvasRenderingContext2D, text: string, right: string, x: number, y: number, width: number): void {
  const room = width - 10;
  const rightWidth = right === '' ? 0 : context.measureText(right).width + 8;
  const character = context.measureText('m').width;
  const showsRight = rightWidth > 0 && room > rightWidth + 60;
  const characters = Math.floor((showsRight ? room - rightWidth : room) / character);
  if (characters >= 2) context.fillText(text.length > characters ? `${text.slice(0, characters - 1)}…` : text, x + 5, y);
  if (showsRight) context.fillText(right, x + width - rightWidth + 3, y);
}
