import { zoneOffset } from '../time/clock.ts';
import { parseDuration } from '../time/duration.ts';
import { type LitWindow, lastWindow } from './scope.ts';

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

/**
 * Reads a window as people type it: "last 2 h", "30 min", "14:02 to 14:32", "14:02-14:32", "14:02 for 20 min", "14:02" (the half
 * hour about it). Times of day are of the viewer's zone and the latest such time that is not in the future.
 *
 * @param now epoch milliseconds
 * @returns undefined when it cannot be understood
 */
export function readTypedWindow(text: string, zone: string, now: number): LitWindow | undefined {
  const typed = text.trim().toLowerCase();
  const last = parseDuration(typed.replace(/^last\s*/, ''));
  if (last && /[a-zµ]$/.test(typed)) return lastWindow(last / 1e6);
  const [start, ...rest] = typed.split(/\s*(?:to|until|–|-|for)\s*/);
  const from = timeOfDay(start, zone, now);
  if (from === undefined || rest.length > 1) return undefined;
  if (rest.length === 0) return { type: 'fixed', from: from - 15 * MINUTE, to: from + 15 * MINUTE };
  if (/\bfor\b/.test(typed)) {
    const ns = parseDuration(rest[0]);
    return ns ? { type: 'fixed', from, to: from + ns / 1e6 } : undefined;
  }
  const end = timeOfDay(rest[0], zone, now + DAY);
  if (end === undefined) return undefined;
  // The first such time after the start: "23:40 to 00:20" goes over midnight.
  const to = end - Math.floor((end - from - 1) / DAY) * DAY;
  return { type: 'fixed', from, to };
}

/** The latest moment up to `latest` at which the clock of a zone shows this time. */
function timeOfDay(text: string, zone: string, latest: number): number | undefined {
  const match = /^(\d{1,2}):(\d{2})(?::(\d{2}))?$/.exec(text.trim());
  if (!match) return undefined;
  const [hour, minute, second] = match.slice(1).map((part) => Number(part ?? 0));
  if (hour > 23 || minute > 59 || second > 59) return undefined;
  const shift = zoneOffset(latest, zone) * MINUTE;
  const midnight = Math.floor((latest + shift) / DAY) * DAY - shift;
  const at = midnight + (hour * 60 + minute) * MINUTE + second * 1000;
  return at <= latest ? at : at - DAY;
}
