import { DIMENSIONS, type Dimension } from './sessionColumns.ts';

/** One part of the load that was chosen, inside of the one before it. */
export interface TrailStep {
  readonly dimension: Dimension | 'class';
  readonly value: string;
}

const NAMES: readonly string[] = [...DIMENSIONS, 'class'];

/** A trail as it stands in an address: "program:holds|statement:8a2d". */
export function writeTrail(steps: readonly TrailStep[]): string {
  return steps.map(({ dimension, value }) => `${dimension}:${encodeURIComponent(value)}`).join('|');
}

/** Reads what `writeTrail` wrote; undefined when it is none. A dimension may be cut by once. */
export function parseTrail(text: string): TrailStep[] | undefined {
  if (text === '') return [];
  const steps: TrailStep[] = [];
  for (const part of text.split('|')) {
    const colon = part.indexOf(':');
    const dimension = part.slice(0, colon);
    if (colon < 0 || !NAMES.includes(dimension) || steps.some((it) => it.dimension === dimension)) return undefined;
    try {
      steps.push({ dimension: dimension as TrailStep['dimension'], value: decodeURIComponent(part.slice(colon + 1)) });
    } catch {
      return undefined;
    }
  }
  return steps;
}
