import { formatDuration } from '../time/duration.ts';
import type { SeriesShift } from './joinShifts.ts';
import type { SeriesKey, WatchedKind } from './watchedSeries.ts';

/** A share in per cent, as precise as it is large: "12 %", "0.4 %". */
export function formatShare(share: number): string {
  const percent = share * 100;
  // What is there is not nothing.
  if (percent > 0 && percent < 0.05) return 'under 0.1 %';
  return `${percent >= 9.95 || percent === 0 ? percent.toFixed(0) : percent.toFixed(1)} %`;
}

/** "p95 0.61 → 7.4 s" or "failing 0.1 → 4.2 %"; of a metric, whose name says what it is, "0.1 → 27 %". */
export function shiftWords(
  { measure, usual, shifted }: Pick<SeriesShift, 'measure' | 'usual' | 'shifted'>,
  kind: WatchedKind = 'operation',
): string {
  if (kind === 'struggle') return `${formatShare(usual)} → ${formatShare(shifted)} of views`;
  if (kind === 'shape') return `${formatShare(usual)} → ${formatShare(shifted)} of its lines`;
  if (kind === 'metric') return `${formatShare(usual)} → ${formatShare(shifted)}`;
  if (measure === 'failures') return `failing ${formatShare(usual)} → ${formatShare(shifted)}`;
  return `${measure} ${formatDuration(usual)} → ${formatDuration(shifted)}`;
}

/** The shift that says the most: failures first, then the one that grew by the largest factor, where requests come in if it is seen there. */
export function leadingShift(shifts: readonly SeriesShift[], entries: ReadonlySet<SeriesKey>): SeriesShift | undefined {
  const seenAtEntry = shifts.filter((it) => entries.has(it.series));
  // What is written of it says why, but not how bad it is.
  const measured = shifts.filter((it) => !it.series.startsWith('shape:'));
  const among = seenAtEntry.length > 0 ? seenAtEntry : measured.length > 0 ? measured : shifts;
  const weight = (it: SeriesShift) => (it.measure === 'failures' ? 1e6 * it.shifted : it.shifted / Math.max(it.usual, 1));
  return [...among].sort((a, b) => weight(b) - weight(a))[0];
}
