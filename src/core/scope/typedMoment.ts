import { zoneOffset } from '../time/clock.ts';

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const WEEKDAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'];

const TIME = /^(\d{1,2}):(\d{2})(?::(\d{2}))?$/;
const ISO_DAY = /^(\d{4})-(\d{2})-(\d{2})$/;
const DAY_MONTH = /^(?:(\d{1,2})\.? ([a-z]{3})[a-z]*|([a-z]{3})[a-z]* (\d{1,2}))(?:,? (\d{4}))?$/;

/** A moment as it was typed: a time of day, a day, or both. */
export interface TypedMoment {
  readonly at: number;
  /** Whether a day was typed, and no time: then `at` is its midnight. */
  readonly isDay: boolean;
  /** When it is over: of a day the next midnight, which is not always 24 hours later; else `at`. */
  readonly until: number;
  readonly hasDay: boolean;
}

/**
 * Reads "14:02", "14:02:30", "yesterday", "27 nov", "nov 27 2026", "fri", "2026-11-27", and a day with a time after it, in lower case. A
 * time without a day, and a day without a year, are the latest such that are not after `latest`.
 *
 * @param latest epoch milliseconds @returns undefined when it cannot be understood
 */
export function readTypedMoment(text: string, zone: string, latest: number): TypedMoment | undefined {
  const words = text
    .trim()
    .replace(/t(?=\d{2}:)/, ' ')
    .split(/\s+/);
  const time = TIME.test(words[words.length - 1] ?? '') ? timeOf(words[words.length - 1]) : undefined;
  const dayText = (time === undefined ? words : words.slice(0, -1)).join(' ').replace(/,$/, '');
  if (time === undefined && TIME.test(words[words.length - 1] ?? '')) return undefined;
  if (dayText === '') {
    if (time === undefined) return undefined;
    const today = shownDay(latest, zone);
    const at = momentOf(today + time, zone);
    const past = at <= latest ? at : momentOf(today - DAY + time, zone);
    return { at: past, until: past, isDay: false, hasDay: false };
  }
  const day = dayOf(dayText, zone, latest);
  if (day === undefined) return undefined;
  const at = momentOf(day + (time ?? 0), zone);
  return { at, until: time === undefined ? momentOf(day + DAY, zone) : at, isDay: time === undefined, hasDay: true };
}

function timeOf(text: string): number | undefined {
  const [hour, minute, second] = TIME.exec(text)!
    .slice(1)
    .map((part) => Number(part ?? 0));
  return hour > 23 || minute > 59 || second > 59 ? undefined : (hour * 60 + minute) * MINUTE + second * 1000;
}

/*
 * Days are counted as clocks of the zone show them, as if those showed UTC: a day is always as long as another then, whatever is done to the clocks
 * in it.
 */

/** The day of a moment, as the clocks of a zone show it. */
function shownDay(moment: number, zone: string): number {
  return Math.floor((moment + zoneOffset(moment, zone) * MINUTE) / DAY) * DAY;
}

/** The moment at which the clocks of a zone show this. */
function momentOf(shown: number, zone: string): number {
  const near = shown - zoneOffset(shown, zone) * MINUTE;
  return shown - zoneOffset(near, zone) * MINUTE;
}

function dayOf(text: string, zone: string, latest: number): number | undefined {
  const today = shownDay(latest, zone);
  if (text === 'today') return today;
  if (text === 'yesterday') return today - DAY;
  const weekday = WEEKDAYS.findIndex((it) => text === it || (text.startsWith(it) && text.endsWith('day')));
  if (weekday >= 0) return today - ((new Date(today).getUTCDay() - weekday + 7) % 7) * DAY;
  const iso = ISO_DAY.exec(text);
  if (iso) return dateOf(Number(iso[1]), Number(iso[2]) - 1, Number(iso[3]));
  const named = DAY_MONTH.exec(text);
  if (!named) return undefined;
  const month = MONTHS.indexOf(named[2] ?? named[3]);
  const date = Number(named[1] ?? named[4]);
  if (month < 0) return undefined;
  if (named[5] !== undefined) return dateOf(Number(named[5]), month, date);
  const year = new Date(today).getUTCFullYear();
  const thisYear = dateOf(year, month, date);
  return thisYear === undefined || thisYear <= today ? thisYear : dateOf(year - 1, month, date);
}

/** A date as clocks show it; undefined for one that is none, such as 31 April. */
function dateOf(year: number, month: number, date: number): number | undefined {
  const shown = new Date(Date.UTC(year, month, date));
  return shown.getUTCMonth() === month && shown.getUTCDate() === date ? shown.getTime() : undefined;
}
