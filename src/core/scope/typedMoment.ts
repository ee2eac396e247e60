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
    const at = midnightOf(latest, zone) + time;
    return { at: at <= latest ? at : at - DAY, isDay: false, hasDay: false };
  }
  const day = dayOf(dayText, zone, latest);
  return day === undefined ? undefined : { at: day + (time ?? 0), isDay: time === undefined, hasDay: true };
}

function timeOf(text: string): number | undefined {
  const [hour, minute, second] = TIME.exec(text)!
    .slice(1)
    .map((part) => Number(part ?? 0));
  return hour > 23 || minute > 59 || second > 59 ? undefined : (hour * 60 + minute) * MINUTE + second * 1000;
}

/** Midnight of the day of a moment in a zone. */
function midnightOf(moment: number, zone: string): number {
  const shift = zoneOffset(moment, zone) * MINUTE;
  return Math.floor((moment + shift) / DAY) * DAY - shift;
}

function dayOf(text: string, zone: string, latest: number): number | undefined {
  const today = midnightOf(latest, zone);
  if (text === 'today') return today;
  // From noon, so that a day with an hour more or less makes no difference.
  if (text === 'yesterday') return midnightOf(today - DAY / 2, zone);
  const shift = zoneOffset(latest, zone) * MINUTE;
  const shown = new Date(latest + shift);
  const weekday = WEEKDAYS.findIndex((it) => text === it || (text.startsWith(it) && text.endsWith('day')));
  if (weekday >= 0) return midnightOf(today + DAY / 2 - ((shown.getUTCDay() - weekday + 7) % 7) * DAY, zone);
  const iso = ISO_DAY.exec(text);
  if (iso) return dateOf(Number(iso[1]), Number(iso[2]) - 1, Number(iso[3]), zone);
  const named = DAY_MONTH.exec(text);
  if (!named) return undefined;
  const month = MONTHS.indexOf(named[2] ?? named[3]);
  const date = Number(named[1] ?? named[4]);
  if (month < 0) return undefined;
  if (named[5] !== undefined) return dateOf(Number(named[5]), month, date, zone);
  const thisYear = dateOf(shown.getUTCFullYear(), month, date, zone);
  if (thisYear === undefined || thisYear <= latest) return thisYear;
  return dateOf(shown.getUTCFullYear() - 1, month, date, zone);
}

/** Midnight of a date in a zone; undefined for one that is none, such as 31 April. */
function dateOf(year: number, month: number, date: number, zone: string): number | undefined {
  const noon = Date.UTC(year, month, date, 12);
  const shown = new Date(noon);
  if (shown.getUTCMonth() !== month || shown.getUTCDate() !== date) return undefined;
  return midnightOf(noon - zoneOffset(noon, zone) * MINUTE, zone);
}
