import { parseDuration, writeDuration } from '../time/duration.ts';
import { formatIso, parseIso } from '../time/iso.ts';

/** The lit window: a stretch that stays, or one that ends now and follows the clock. Times are epoch milliseconds. */
export type LitWindow =
  | { readonly type: 'fixed'; readonly from: number; readonly to: number }
  | { readonly type: 'last'; readonly ms: number };

/** By what a scope can be narrowed; one chip each. */
export const CHIP_FIELDS = ['entry', 'service', 'operation', 'slower', 'faster', 'failed'] as const;
export type ChipField = (typeof CHIP_FIELDS)[number];

export interface Chip {
  readonly field: ChipField;
  /** As in the URL: a name, a duration ("3s"), or yes and no. */
  readonly value: string;
  /** A chip can be switched off without losing it. */
  readonly on: boolean;
}

/** What every page shows: a stretch of time, narrowed. */
export interface Scope {
  readonly lit: LitWindow;
  readonly chips: readonly Chip[];
}

/** Nothing that is kept is later: the last nanosecond of a signed 64-bit number, in the year 2262. */
const LAST_TIME = 2n ** 63n - 1n;
/** Ten years. */
const LONGEST_LAST_MS = 3650 * 86_400_000;

/** Reads a scope from a URL's parameters. What cannot be understood is left out; without a window, `usual` is lit. */
export function readScope(parameters: URLSearchParams, usual: LitWindow): Scope {
  const off = new Set((parameters.get('off') ?? '').split(','));
  const chips = CHIP_FIELDS.flatMap((field): Chip[] => {
    const value = parameters.get(field);
    return value !== null && isValid(field, value) ? [{ field, value, on: !off.has(field) }] : [];
  });
  return { lit: readWindow(parameters) ?? usual, chips };
}

/** Whether a URL says which window is lit. */
export function readWindow(parameters: URLSearchParams): LitWindow | undefined {
  const last = parameters.get('last');
  if (last !== null) {
    const ns = parseDuration(last);
    return ns ? lastWindow(ns / 1e6) : undefined;
  }
  const from = parseIso(parameters.get('from') ?? '');
  const to = parseIso(parameters.get('to') ?? '');
  return from !== undefined && to !== undefined && to > from && from >= 0n && to <= LAST_TIME
    ? { type: 'fixed', from: Number(from / 1_000_000n), to: Number(to / 1_000_000n) }
    : undefined;
}

/** The window that ends now and is so long; undefined when it would begin before anything can have been kept. */
export function lastWindow(ms: number): LitWindow | undefined {
  return ms <= LONGEST_LAST_MS ? { type: 'last', ms } : undefined;
}

/** The parameters of a URL that carry a scope, fit to be read by people: `from=…&to=…&service=berths&slower=3s`. */
export function writeScope({ lit, chips }: Scope): URLSearchParams {
  const parameters = new URLSearchParams();
  if (lit.type === 'last') parameters.set('last', `${lit.ms / 60_000}min`);
  else {
    parameters.set('from', shortIso(lit.from));
    parameters.set('to', shortIso(lit.to));
  }
  for (const { field, value } of chips) parameters.set(field, value);
  const off = chips.filter((chip) => !chip.on).map((chip) => chip.field);
  if (off.length > 0) parameters.set('off', off.join(','));
  return parameters;
}

/** The window as moments. @param now what "last" counts back from, epoch milliseconds */
export function windowAt(lit: LitWindow, now: number): { from: number; to: number } {
  return lit.type === 'fixed' ? lit : { from: now - lit.ms, to: now };
}

/** The scope as the interface for traces takes it: times ISO 8601, durations in milliseconds; chips that are off left out. */
export function scopeQuery(scope: Scope, now: number): Record<string, string> {
  const { from, to } = windowAt(scope.lit, now);
  const query: Record<string, string> = { from: new Date(from).toISOString(), to: new Date(to).toISOString() };
  return { ...query, ...chipQuery(scope.chips) };
}

/** The narrowing alone, without the window. */
export function chipQuery(chips: readonly Chip[]): Record<string, string> {
  const query: Record<string, string> = {};
  for (const { field, value, on } of chips) {
    if (!on) continue;
    if (field === 'slower') query.minDurationMs = String(parseDuration(value)! / 1e6);
    else if (field === 'faster') query.maxDurationMs = String(parseDuration(value)! / 1e6);
    else if (field === 'failed') query.failed = String(value === 'yes');
    else query[field] = value;
  }
  return query;
}

/** With one more chip, in place of another of the same field. */
export function withChip(scope: Scope, field: ChipField, value: string): Scope {
  const others = scope.chips.filter((chip) => chip.field !== field);
  return { ...scope, chips: [...others, { field, value, on: true }].sort(byField) };
}

export function withoutChip(scope: Scope, field: ChipField): Scope {
  return { ...scope, chips: scope.chips.filter((chip) => chip.field !== field) };
}

/** On if it was off, off if it was on. */
export function withChipSwitched(scope: Scope, field: ChipField): Scope {
  return { ...scope, chips: scope.chips.map((chip) => (chip.field === field ? { ...chip, on: !chip.on } : chip)) };
}

/** Between two durations, nanoseconds; what is left open is undefined. */
export function withDurations(scope: Scope, least: number | undefined, most: number | undefined): Scope {
  let next = withoutChip(withoutChip(scope, 'slower'), 'faster');
  if (least !== undefined) next = withChip(next, 'slower', writeDuration(Math.round(least)));
  if (most !== undefined) next = withChip(next, 'faster', writeDuration(Math.round(most)));
  return next;
}

function byField(a: Chip, b: Chip): number {
  return CHIP_FIELDS.indexOf(a.field) - CHIP_FIELDS.indexOf(b.field);
}

function isValid(field: ChipField, value: string): boolean {
  if (field === 'slower' || field === 'faster') return parseDuration(value) !== undefined;
  if (field === 'failed') return value === 'yes' || value === 'no';
  return value !== '';
}

function shortIso(ms: number): string {
  return formatIso(BigInt(Math.round(ms)) * 1_000_000n).replace(/(?::00)?\.0+Z$/, 'Z');
}
