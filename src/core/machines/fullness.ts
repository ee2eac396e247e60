import type { MachineMeasures } from './measureColumns.ts';
import type { Measure, RawMeasure } from './measures.ts';

/** How much of something the machines use: on average, and the one that uses most of its own. Shares from 0 to 1. */
export interface Fullness {
  readonly mean: number;
  readonly most: number;
  readonly name: string;
}

/** What has to be read for it. */
export const FULLNESS_MEASURES: readonly RawMeasure[] = [
  'cpu',
  'cpu seconds',
  'busy seconds',
  'memory share',
  'memory used',
  'memory limit',
];

const CPU: readonly Measure[] = ['cpu', 'cpu of time'];
const MEMORY: readonly Measure[] = ['memory share', 'memory of limit'];

/** The processors and the memory of all machines, by the last value that each told; null where none did. */
export function fullnessOf(measures: MachineMeasures): {
  readonly machines: number;
  readonly cpu: Fullness | null;
  readonly memory: Fullness | null;
} {
  const names = measures.subjects.filter(({ kind }) => kind === 'host').map(({ name }) => name);
  const [cpu, memory] = [CPU, MEMORY].map((of) => names.flatMap((name) => lastOf(measures, name, of) ?? []));
  return {
    machines: new Set([...cpu, ...memory].map(({ name }) => name)).size,
    cpu: together(cpu),
    memory: together(memory),
  };
}

interface Share {
  readonly name: string;
  readonly share: number;
}

function lastOf(measures: MachineMeasures, name: string, of: readonly Measure[]): Share | undefined {
  for (const measure of of) {
    const share = measures.last('host', name, measure);
    if (share !== undefined) return { name, share };
  }
  return undefined;
}

function together(shares: readonly Share[]): Fullness | null {
  if (shares.length === 0) return null;
  const most = shares.reduce((fullest, it) => (it.share > fullest.share ? it : fullest));
  return { mean: shares.reduce((sum, { share }) => sum + share, 0) / shares.length, most: most.share, name: most.name };
}
