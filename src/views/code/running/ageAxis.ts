/** A log axis of ages, from the youngest request that is reported. */
export interface AgeAxis {
  /** 0 to 1. */
  readonly at: (ms: number) => number;
  readonly ticks: readonly { readonly ms: number; readonly at: number }[];
}

const TICKS_MS = [1, 10, 100, 1_000, 10_000, 60_000, 600_000, 3_600_000];

/** @param oldest milliseconds */
export function ageAxis(oldest: number): AgeAxis {
  const [least, most] = [1, Math.max(10_000, oldest * 1.6)];
  const scale = Math.log(most / least);
  const at = (ms: number) => Math.min(1, Math.max(0, Math.log(Math.max(ms, least) / least) / scale));
  return { at, ticks: TICKS_MS.filter((ms) => ms <= most).map((ms) => ({ ms, at: at(ms) })) };
}
