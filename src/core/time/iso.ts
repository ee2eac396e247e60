import type { EpochNanos } from '../trace/span.ts';

const ISO = /^(\d{4}-\d{2}-\d{2}T\d{2}:\d{2})(?::(\d{2})(?:\.(\d{1,9})\d*)?)?(Z|[+-]\d{2}:?\d{2})$/;

/** Reads an ISO 8601 date and time with a zone, to the nanosecond; undefined when it is not one. */
export function parseIso(text: string): EpochNanos | undefined {
  const match = ISO.exec(text);
  if (!match) return undefined;
  const [, minute, second = '00', fraction = '', zone] = match;
  const millis = Date.parse(`${minute}:${second}${zone}`);
  return Number.isNaN(millis) ? undefined : BigInt(millis) * 1_000_000n + BigInt(fraction.padEnd(9, '0'));
}

/** ISO 8601 in UTC with nine decimals of a second. */
export function formatIso(time: EpochNanos): string {
  const millis = time / 1_000_000n;
  const rest = time - millis * 1_000_000n;
  return `${new Date(Number(millis)).toISOString().slice(0, -1)}${rest.toString().padStart(6, '0')}Z`;
}

/** A time as one reads it in an address: "2026-05-02T14:02Z", with seconds and their parts only where there are some. @param ms epoch milliseconds */
export function shortIso(ms: number): string {
  return formatIso(BigInt(Math.round(ms)) * 1_000_000n)
    .replace(/(?::00)?\.0+Z$/, 'Z')
    .replace(/(\.\d*?)0+Z$/, '$1Z');
}

/** How much later one ISO 8601 time is than another, nanoseconds; 0 when one of them is none. */
export function offsetNs(from: string, to: string): number {
  const start = parseIso(from);
  const end = parseIso(to);
  return start === undefined || end === undefined ? 0 : Number(end - start);
}
