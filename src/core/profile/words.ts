import { formatBytes, formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { FunctionSum } from './functionSums.ts';
import type { Frame } from './stackSample.ts';

/** A share in percent, with as many digits as it bears. */
export function percent(share: number): string {
  const value = 100 * share;
  if (value === 0) return '0';
  return value >= 99.95 ? '100' : value >= 10 ? value.toFixed(1) : value >= 0.1 ? value.toFixed(1) : value.toFixed(2);
}

/** The last part of a function's name: `fits` of `reach/berths/layout.(*Solver).fits`. */
export function shortName(name: string): string {
  if (name.startsWith('(')) return name;
  return /([^./:]+)$/.exec(name)?.[1] ?? name;
}

/** With the type or package before it: `Solver.fits`. */
export function middleName(name: string): string {
  if (name.startsWith('(')) return name;
  const path = name.slice(name.lastIndexOf('/') + 1).replace(/\(\*?(\w+)\)/g, '$1');
  return path.split('.').slice(-2).join('.');
}

/** The last parts of a file's path, and the line: `layout/solve.go:39`. */
export function placeOf({ file, line }: Pick<Frame, 'file' | 'line'>): string {
  if (file === '') return '';
  const path = file
    .replace(/^file:\/\//, '')
    .split('/')
    .slice(-2)
    .join('/');
  return line > 0 ? `${path}:${line}` : path;
}

/** A value of a profile in its unit. */
export function formatCost(value: number, unit: string): string {
  if (value === 0) return '0';
  if (unit === 'nanoseconds') return formatDuration(value);
  return unit === 'bytes' ? formatBytes(value) : `${formatCount(Math.round(value))} ${unit}`;
}

/** Types in the order in which they are offered. */
const TYPE_ORDER = ['cpu', 'wall', 'alloc_space', 'inuse_space'];

/** What a habit takes, in its unit. */
export function habitCost(value: number, unit: 'cpu' | 'wall' | 'bytes'): string {
  return formatCost(value, unit === 'bytes' ? 'bytes' : 'nanoseconds');
}

/** What a type of profile measures, in words. */
export const TYPE_WORDS: Readonly<Record<string, string>> = {
  cpu: 'CPU',
  wall: 'wall clock',
  alloc_space: 'allocation',
  alloc_objects: 'objects allocated',
  inuse_space: 'memory held',
  inuse_objects: 'objects held',
  samples: 'samples',
};

/** Types with their units, the usual ones first. */
export function inOrder(types: readonly string[]): string[] {
  const rank = (type: string) => {
    const at = TYPE_ORDER.indexOf(type.split(' ')[0]);
    return at < 0 ? TYPE_ORDER.length : at;
  };
  return [...types].sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1));
}

const VERBS: Readonly<Record<string, string>> = {
  cpu: 'computes',
  wall: 'spends',
  alloc_space: 'allocates',
  inuse_space: 'holds',
};

/** Samples of each side that a sentence needs. */
export const FEWEST_SAMPLES = 60;

export interface ProfileSides {
  readonly service: string;
  readonly type: string;
  readonly unit: string;
  readonly lit: { readonly value: number; readonly count: number; readonly requests: number };
  readonly before: { readonly value: number; readonly count: number; readonly requests: number };
  /** What the reference is called: `before`, or a version. */
  readonly reference: string;
}

/** What a profile says, in one sentence. @param grown own functions by how much they grew, the most first */
export function profileSentence(sides: ProfileSides, grown: FunctionSum | undefined): string {
  const { service, type, unit, lit, before, reference } = sides;
  if (lit.count < FEWEST_SAMPLES) {
    const samples = Math.round(lit.count);
    return samples === 0
      ? `No samples of ${service} in this window`
      : `Not enough data: ${samples} samples of ${service} in this window`;
  }
  const verb = VERBS[type] ?? 'takes';
  const each = (side: ProfileSides['lit']) => formatCost(side.value / side.requests, unit);
  const isKnown = before.count >= FEWEST_SAMPLES;
  const perRequest = lit.requests > 0;
  const amount =
    !perRequest || !isKnown || before.requests === 0
      ? perRequest
        ? `${each(lit)} a request`
        : formatCost(lit.value, unit)
      : `${each(before)} → ${each(lit)} a request`;
  const head = `${service} ${verb} ${amount}`;
  if (!grown || !isKnown) return head;
  const [was, is] = [grown.self.before / before.value, grown.self.lit / lit.value];
  if (is - was < 0.03) return `${head}; no function’s share grew`;
  if (grown.total.before === 0)
    return `${head}; ${shortName(grown.name)}, ${reference === 'before' ? 'new' : `new since ${reference}`}, takes ${Math.round(100 * is)} %`;
  return `${head}; ${shortName(grown.name)} takes ${Math.round(100 * was)} → ${Math.round(100 * is)} %`;
}
