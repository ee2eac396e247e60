import { parseDuration, writeDuration } from '../time/duration.ts';
import { parseIso, shortIso } from '../time/iso.ts';
import { type BeforeWindow, parseBefore, writeBefore } from './before.ts';
import { type Condition, condition } from './condition.ts';
import { parseCondition, splitConditions, writeCondition } from './conditionText.ts';
import { nearestMinutes, wholeMinutes } from './wholeMinutes.ts';

/** The lit window: a stretch that stays, or one that ends now and follows the clock. Times are epoch milliseconds. */
export type LitWindow =
  | { readonly type: 'fixed'; readonly from: number; readonly to: number }
  | { readonly type: 'last'; readonly ms: number };

/** A condition by which a scope is narrowed. It can be switched off without losing it. */
export interface Chip extends Condition {
  readonly on: boolean;
}

/** What every page shows: a stretch of time, what it is held against, and the narrowing. */
export interface Scope {
  readonly lit: LitWindow;
  readonly before: BeforeWindow;
  readonly chips: readonly Chip[];
}

/** Nothing that is kept is later: the last nanosecond of a signed 64-bit number, in the year 2262. */
const LAST_TIME = 2n ** 63n - 1n;
/** Ten years. */
const LONGEST_LAST_MS = 3650 * 86_400_000;

/** Before a condition that is switched off. */
const OFF = 'off:';
const USUAL_BEFORE: BeforeWindow = { type: 'calm' };

/** Reads a scope from a URL's parameters. What cannot be understood is left out; without a window, `usual` is lit. */
export function readScope(parameters: URLSearchParams, usual: LitWindow): Scope {
  return {
    lit: readWindow(parameters) ?? usual,
    before: parseBefore(parameters.get('before') ?? '') ?? USUAL_BEFORE,
    chips: splitConditions(parameters.get('where') ?? '').flatMap((text): Chip[] => {
      const on = !text.startsWith(OFF);
      const read = parseCondition(on ? text : text.slice(OFF.length));
      return typeof read === 'string' ? [] : [{ ...read, on }];
    }),
  };
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

/**
 * The parameters of a URL that carry a scope, fit to be read by people:
 * `from=…&to=…&before=yesterday&where=service is berths;duration over 3s;off:failed is yes`.
 */
export function writeScope({ lit, before, chips }: Scope): URLSearchParams {
  const parameters = new URLSearchParams();
  if (lit.type === 'last') parameters.set('last', `${lit.ms / 60_000}min`);
  else {
    parameters.set('from', shortIso(lit.from));
    parameters.set('to', shortIso(lit.to));
  }
  if (before.type !== USUAL_BEFORE.type) parameters.set('before', writeBefore(before));
  if (chips.length > 0) parameters.set('where', chips.map((chip) => `${chip.on ? '' : OFF}${writeCondition(chip)}`).join(';'));
  return parameters;
}

/** The window as moments, of whole minutes unless it is short. @param now what "last" counts back from, epoch milliseconds */
export function windowAt(lit: LitWindow, now: number): { from: number; to: number } {
  const whole = wholeMinutes(windowToNow(lit, now));
  // With the minute that runs, as long as it was asked for.
  return lit.type === 'fixed' ? whole : wholeMinutes({ from: whole.to - lit.ms, to: whole.to });
}

/** The window as it was asked for, to the millisecond and never ahead of the clock: its end is the moment of what holds then. */
export function windowToNow(lit: LitWindow, now: number): { from: number; to: number } {
  return lit.type === 'fixed' ? { from: lit.from, to: lit.to } : { from: now - lit.ms, to: now };
}

/** A scope as it was changed by hand: its window has the whole minutes that are nearest. */
export function settledScope(scope: Scope): Scope {
  const { lit } = scope;
  return lit.type === 'fixed' ? { ...scope, lit: { ...lit, ...nearestMinutes(lit) } } : scope;
}

/** The scope as the application's questions take it: times ISO 8601; chips that are off left out. */
export function scopeQuery(scope: Scope, now: number): Record<string, string> {
  return { ...windowQuery(windowAt(scope.lit, now)), ...chipQuery(scope.chips) };
}

/** A window as the application's questions take it. */
export function windowQuery({ from, to }: { from: number; to: number }): { from: string; to: string } {
  return { from: new Date(from).toISOString(), to: new Date(to).toISOString() };
}

/** The scope with the window that it is held against, for questions that compare. */
export function comparisonQuery(scope: Scope, now: number): Record<string, string> {
  return { ...scopeQuery(scope, now), before: writeBefore(scope.before) };
}

/** As `comparisonQuery`, for what holds at the end of the window. */
export function momentQuery(scope: Scope, now: number): Record<string, string> {
  return { ...comparisonQuery(scope, now), ...windowQuery(windowToNow(scope.lit, now)) };
}

/** The narrowing alone, without the window. */
export function chipQuery(chips: readonly Chip[]): Record<string, string> {
  const on = chips.filter((chip) => chip.on);
  return on.length > 0 ? { where: on.map(writeCondition).join(';') } : {};
}

/** With one more condition, in place of one that says the same of the same field with other values. */
export function withChip(scope: Scope, added: Condition): Scope {
  const others = scope.chips.filter(({ field, operator }) => field !== added.field || operator !== added.operator);
  return { ...scope, chips: [...others, { ...added, on: true }] };
}

export function withoutChip(scope: Scope, dropped: Condition): Scope {
  return { ...scope, chips: scope.chips.filter((chip) => !isSame(chip, dropped)) };
}

/** Without any condition on a field. */
export function withoutField(scope: Scope, field: string): Scope {
  return { ...scope, chips: scope.chips.filter((chip) => chip.field !== field) };
}

/** With one chip changed. */
export function withChipChanged(scope: Scope, chip: Chip, changed: Chip): Scope {
  return { ...scope, chips: scope.chips.map((it) => (isSame(it, chip) ? changed : it)) };
}

export function isSame(a: Condition, b: Condition): boolean {
  return writeCondition(a) === writeCondition(b);
}

/** The value that a field is narrowed to by one chip, when it is. */
export function chosenValue({ chips }: Scope, field: string): string | undefined {
  const chip = chips.find((it) => it.field === field && it.operator === 'is' && it.values.length === 1);
  return chip?.values[0];
}

/** Narrowed to a value of a field, or no longer when it was. */
export function withValueTurned(scope: Scope, field: string, value: string): Scope {
  const it = condition(field, 'is', value);
  return scope.chips.some((chip) => isSame(chip, it)) ? withoutChip(scope, it) : withChip(scope, it);
}

/** Between two durations, nanoseconds; what is left open is undefined. */
export function withDurations(scope: Scope, least: number | undefined, most: number | undefined): Scope {
  let next = withoutField(scope, 'duration');
  if (least !== undefined) next = withChip(next, condition('duration', 'at least', writeDuration(Math.round(least))));
  if (most !== undefined) next = withChip(next, condition('duration', 'at most', writeDuration(Math.round(most))));
  return next;
}

/** The bounds that chips set on the duration, nanoseconds. */
export function durationBounds({ chips }: Scope): { least?: number; most?: number } {
  const bound = (...operators: readonly string[]) => {
    const chip = chips.find((it) => it.field === 'duration' && operators.includes(it.operator));
    return chip && parseDuration(chip.values[0]);
  };
  const least = bound('at least', 'over');
  const most = bound('at most', 'under');
  return { ...(least === undefined ? {} : { least }), ...(most === undefined ? {} : { most }) };
}
