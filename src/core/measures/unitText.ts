import { formatDuration } from '../time/duration.ts';
import { formatBytes } from './amount.ts';

/** A value with its unit as OpenTelemetry writes it (UCUM): "36 %", "142 MB", "12.4 ms", "3 connections". */
export function formatValue(value: number, unit: string): string {
  switch (unit) {
    case '1':
      return `${trimmed(value * 100)} %`;
    case 'By':
      return formatBytes(value);
    case 's':
      return formatDuration(value * 1e9);
    case 'ms':
      return formatDuration(value * 1e6);
    default: {
      const name = /^\{(.+)\}$/.exec(unit)?.[1];
      if (name === undefined) return unit === '' ? trimmed(value) : `${trimmed(value)} ${unit}`;
      return `${trimmed(value)} ${name}${Math.abs(value) === 1 ? '' : 's'}`;
    }
  }
}

/** Three digits that count, without those that say nothing. */
function trimmed(value: number): string {
  if (value === 0) return '0';
  return Math.abs(value) >= 1000 ? String(Math.round(value)) : String(Number(value.toPrecision(3)));
}
