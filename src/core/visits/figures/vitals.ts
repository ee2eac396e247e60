/**
 * Measures of how a page felt, with the public thresholds of web.dev: good up to the first, poor above the second. Milliseconds; of CLS its
 * thousandths.
 */
export const VITALS = {
  TTFB: [800, 1_800],
  FCP: [1_800, 3_000],
  LCP: [2_500, 4_000],
  INP: [200, 500],
  CLS: [100, 250],
} as const;
export type Vital = keyof typeof VITALS;
export const VITAL_NAMES = Object.keys(VITALS) as Vital[];

export type Rating = 'good' | 'middling' | 'poor';

export function ratingOf(vital: Vital, value: number): Rating {
  const [good, poor] = VITALS[vital];
  return value <= good ? 'good' : value <= poor ? 'middling' : 'poor';
}

/** @param target what satisfies; four times as much is tolerated @param counts of satisfied and of tolerated out of all */
export function apdexOf({
  satisfied,
  tolerated,
  all,
}: {
  readonly satisfied: number;
  readonly tolerated: number;
  readonly all: number;
}): number {
  return all > 0 ? (satisfied + tolerated / 2) / all : Number.NaN;
}
