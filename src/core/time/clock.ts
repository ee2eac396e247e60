import { utcTicks } from 'd3-time';

/** Dates and times of day in a named zone. All times are epoch milliseconds. */

const formats = new Map<string, Intl.DateTimeFormat>();

function parts(ms: number, zone: string): Record<string, string> {
  let format = formats.get(zone);
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      weekday: 'short',
      year: 'numeric',
      month: 'short',
      day: 'numeric',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
      hourCycle: 'h23',
    });
    formats.set(zone, format);
  }
  return Object.fromEntries(format.formatToParts(ms).map(({ type, value }) => [type, value]));
}

/** "14:06", with seconds "14:06:31". */
export function clockTime(ms: number, zone: string, seconds = false): string {
  const { hour, minute, second } = parts(ms, zone);
  return seconds ? `${hour}:${minute}:${second}` : `${hour}:${minute}`;
}

/** "14:06:31.204" */
export function clockTimeExact(ms: number, zone: string): string {
  return `${clockTime(ms, zone, true)}.${String(Math.floor(ms) % 1000).padStart(3, '0')}`;
}

/** "Sat 2 May" */
export function dayOf(ms: number, zone: string): string {
  const { weekday, day, month } = parts(ms, zone);
  return `${weekday} ${day} ${month}`;
}

/** "14:06", with its day where that is not the day of `today`. */
export function dayTime(ms: number, zone: string, today: number): string {
  const day = dayOf(ms, zone);
  return day === dayOf(today, zone) ? clockTime(ms, zone) : `${day} ${clockTime(ms, zone)}`;
}

/** "14:02–14:32", each with its day where that is not the day of `today`. */
export function clockRange(from: number, to: number, zone: string, today: number): string {
  const day = dayOf(from, zone);
  const lead = day === dayOf(today, zone) ? '' : `${day} `;
  const trail = dayOf(to, zone) === day ? '' : `${dayOf(to, zone)} `;
  return `${lead}${clockTime(from, zone)}–${trail}${clockTime(to, zone)}`;
}

/** The same within a sentence: "in 19:32–21:42", "on Mon 30 Nov 19:32–21:42". */
export function withinRange(from: number, to: number, zone: string, today: number): string {
  return `${dayOf(from, zone) === dayOf(today, zone) ? 'in' : 'on'} ${clockRange(from, to, zone, today)}`;
}

/** Minutes that a zone is ahead of UTC at a moment. */
export function zoneOffset(ms: number, zone: string): number {
  const { year, month, day, hour, minute } = parts(ms, zone);
  const local = Date.parse(`${day} ${month} ${year} ${hour}:${minute}:00 UTC`);
  return Math.round((local - Math.floor(ms / 60_000) * 60_000) / 60_000);
}

/** Round moments of a zone's clock between two times, about so many. */
export function timeTicks(from: number, to: number, about: number, zone: string): number[] {
  const shift = zoneOffset(from, zone) * 60_000;
  return utcTicks(new Date(from + shift), new Date(to + shift), about).map((tick) => tick.getTime() - shift);
}
