import { parseDuration } from '../time/duration.ts';
import { type LitWindow, lastWindow } from './scope.ts';
import { readTypedMoment } from './typedMoment.ts';

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

/** What stands between two moments; a hyphen only between blanks, or between two times: dates have some of their own. */
const BETWEEN = /\s+(?:to|until|for|-)\s+|\s*–\s*|(?<=:\d{2})-(?=\d{1,2}:)/;

/**
 * Reads a window as people type it: "last 2 h", "30 min", "14:02 to 14:32", "14:02-14:32", "14:02 for 20 min", "14:02" (the half hour about
 * it), "27 nov 22:45 to 23:30", "yesterday", "2026-11-27 to 2026-11-28". Times of day are of the viewer's zone and the latest such
 * time that is not in the future.
 *
 * @param now epoch milliseconds
 * @returns undefined when it cannot be understood
 */
export function readTypedWindow(text: string, zone: string, now: number): LitWindow | undefined {
  const typed = text.trim().toLowerCase();
  const last = parseDuration(typed.replace(/^last\s*/, ''));
  if (last && /[a-zµ]$/.test(typed)) return lastWindow(last / 1e6);
  const [start, ...rest] = typed.split(BETWEEN);
  const from = readTypedMoment(start, zone, now);
  if (from === undefined || rest.length > 1) return undefined;
  if (rest.length === 0) {
    if (from.isDay) return { type: 'fixed', from: from.at, to: from.until };
    return { type: 'fixed', from: from.at - 15 * MINUTE, to: from.at + 15 * MINUTE };
  }
  if (/\bfor\b/.test(typed)) {
    const ns = parseDuration(rest[0]);
    return ns ? { type: 'fixed', from: from.at, to: from.at + ns / 1e6 } : undefined;
  }
  const end = readTypedMoment(rest[0], zone, now + DAY);
  if (end === undefined) return undefined;
  // Of days both are meant as a whole; a time without a day is the first such after the start: "23:40 to 00:20" goes over midnight.
  const to = end.hasDay ? end.until : end.at - Math.floor((end.at - from.at - 1) / DAY) * DAY;
  return to > from.at ? { type: 'fixed', from: from.at, to } : undefined;
}
