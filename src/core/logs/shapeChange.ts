import { median } from 'd3-array';
import { incompleteBeta } from '../contrast/statistics/tails.ts';
import { boundOfFindings } from '../verdict/benjaminiHochberg.ts';

/** Lines of a shape by stretch of time, in both windows; all stretches are as long as each other. */
export interface ShapeCounts {
  readonly lit: Float64Array;
  readonly before: Float64Array;
  /** Whether any line of it was read before the lit window, in the window before or not. */
  readonly isKnown: boolean;
}

export type ShapeState = 'new' | 'burst' | 'more' | 'gone' | 'fewer' | 'rare' | 'same';

export interface ShapeChange {
  readonly state: ShapeState;
  /** How many times as often as before, by the clock or at the traffic of the lit window, whichever is nearer to once; null where there was none before. */
  readonly times: number | null;
  /** The chance of such a difference if nothing had changed. */
  readonly chance: number;
}

const LEVEL = 0.01;
/** More or fewer by less than this is not worth saying. */
const WORTH = 1.3;
/** Of all lines: METHODS' rare. */
const RARE = 0.001;
const LEAST_BURST = 10;
const BURST = 4;
/** Shapes that are in both windows often enough to say how traffic as a whole changed. */
const OFTEN = 20;
const ENOUGH_SHAPES = 5;

/**
 * What became of each shape. Counts are held against each other by the exact conditional test of two Poisson rates (Przyborowski and Wilenski,
 * 1940), both as they are and at the ratio by which shapes as a whole changed (its median): more traffic is no news, and what is said by the
 * clock does not follow traffic. The test is widened by how much more than chance the counts of the window before vary from stretch to stretch. At most 1 of 100 findings is none (Benjamini and Hochberg).
 */
export function shapeChanges(shapes: readonly ShapeCounts[]): ShapeChange[] {
  const sums = shapes.map(({ lit, before }) => ({ lit: sumOf(lit), before: sumOf(before) }));
  const [dLit, dBefore] = [shapes[0]?.lit.length ?? 0, shapes[0]?.before.length ?? 0];
  const all = sums.reduce((sum, { lit }) => sum + lit, 0);
  const often = sums.filter(({ lit, before }) => lit >= OFTEN && before >= OFTEN);
  const traffic =
    often.length < ENOUGH_SHAPES || dBefore === 0 ? 1 : median(often, (it) => it.lit / dLit / (it.before / dBefore))!;
  const shareAt = (factor: number) => (dLit * factor) / (dLit * factor + dBefore);
  const judged = shapes.map((shape, at) => {
    const { lit, before } = sums[at];
    const unrest = dispersion(shape.before);
    const burst = burstOf(shape.lit, lit, unrest);
    const chanceAt = (factor: number) => (dBefore === 0 ? 1 : twoRates(lit / unrest, before / unrest, shareAt(factor)));
    return { lit, before, burst, chance: Math.max(chanceAt(1), chanceAt(traffic)) };
  });
  const bound = boundOfFindings(
    judged.flatMap(({ chance, burst }) => [chance, burst]),
    LEVEL,
  );
  return judged.map(({ lit, before, burst, chance }, at) => {
    const times = before === 0 || dLit === 0 ? null : lit / dLit / (before / dBefore) / traffic;
    const isSure = chance <= bound;
    const state = (): ShapeState => {
      if (before === 0 && lit > 0 && dBefore > 0 && (isSure || !shapes[at].isKnown)) return 'new';
      if (lit === 0 && isSure) return 'gone';
      if (isSure && times !== null && times >= WORTH) return 'more';
      if (isSure && times !== null && times <= 1 / WORTH) return 'fewer';
      if (burst <= bound) return 'burst';
      return lit <= RARE * all ? 'rare' : 'same';
    };
    return { state: state(), times, chance };
  });
}

function sumOf(counts: Float64Array): number {
  return counts.reduce((sum, it) => sum + it, 0);
}

/** How many times as much as chance the counts vary: variance over mean, one at least. */
function dispersion(counts: Float64Array): number {
  const n = counts.length;
  const mean = sumOf(counts) / Math.max(1, n);
  if (n < 5 || mean === 0) return 1;
  const variance = counts.reduce((sum, it) => sum + (it - mean) ** 2, 0) / (n - 1);
  return Math.max(1, variance / mean);
}

/** Two-sided: `lit` of all is Binomial with this share when the rates are equal. Counts may be fractions. */
function twoRates(lit: number, before: number, share: number): number {
  const n = lit + before;
  if (n === 0) return 1;
  const atLeast = lit <= 0 ? 1 : incompleteBeta(share, lit, n - lit + 1);
  const atMost = before <= 0 ? 1 : incompleteBeta(1 - share, before, n - before + 1);
  return Math.min(1, 2 * Math.min(atLeast, atMost));
}

/** The chance that the fullest stretch has so many of the lines as it has, were they spread evenly; 1 for what is no burst by size. */
function burstOf(counts: Float64Array, total: number, unrest: number): number {
  const stretches = counts.length;
  const most = counts.reduce((peak, it) => Math.max(peak, it), 0);
  const others = stretches > 1 ? (total - most) / (stretches - 1) : 0;
  if (stretches < 5 || most < LEAST_BURST || most < BURST * others) return 1;
  return Math.min(1, stretches * incompleteBeta(1 / stretches, most / unrest, (total - most) / unrest + 1));
}
