import { formatBytes, formatCount } from '../../measures/amount.ts';
import { dayTime } from '../../time/clock.ts';
import { formatDuration } from '../../time/duration.ts';
import type { Cell, Unit } from './evidence.ts';

/**
 * A value of a piece of evidence as it is read: "50.0 s", "81 %", "1.2 /s". A missing one is a dash.
 *
 * @param zone of times @param today where it is read beside other times of the day: the day and the zone are left out then
 */
export function valueText(value: Cell, unit: Unit, zone: string, today?: number): string {
  if (value === null) return '–';
  if (typeof value === 'string') return value;
  switch (unit) {
    case 'duration':
      return formatDuration(value);
    case 'count':
      return formatCount(Math.round(value));
    case 'share':
      return shareText(value);
    case 'rate':
      return `${numberText(value)} /s`;
    case 'bytes':
      return formatBytes(value);
    case 'time':
      return today === undefined ? momentText(value, zone) : dayTime(value, zone, today);
    default:
      return numberText(value);
  }
}

function shareText(share: number): string {
  const percent = share * 100;
  if (percent > 0 && percent < 0.1) return '<0.1 %';
  return `${Math.abs(percent) >= 99.95 || percent === 0 ? Math.round(percent) : percent.toFixed(1)} %`;
}

function numberText(value: number): string {
  if (Number.isInteger(value) || Math.abs(value) >= 1000) return formatCount(Math.round(value));
  return String(Number(value.toPrecision(3)));
}

const formats = new Map<string, Intl.DateTimeFormat>();

/** A moment with its day and the zone that it is told in: evidence is read by others, elsewhere and later. "2 May 2026 14:06:31 UTC" */
export function momentText(ms: number, zone: string): string {
  let format = formats.get(zone);
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      day: 'numeric',
      month: 'short',
      year: 'numeric',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
      hourCycle: 'h23',
      timeZoneName: 'short',
    });
    formats.set(zone, format);
  }
  return format.format(ms).replace(',', '');
}
