import type { LineSeries } from '../../api/logs/series.ts';
import { SEVERITIES, type Severity } from '../../core/logs/severity.ts';
import { formatCount } from '../../core/measures/amount.ts';

/** Severities that the ribbon shows as one. */
const GROUPS: readonly { readonly name: string; readonly of: readonly Severity[] }[] = [
  { name: 'errors', of: ['fatal', 'error'] },
  { name: 'warnings', of: ['warn'] },
  { name: 'others', of: ['info', 'debug', 'trace', 'none'] },
];

export interface LineGroup {
  readonly name: string;
  /** When each stretch begins, epoch milliseconds, and how many lines it has. */
  readonly values: readonly (readonly [at: number, count: number])[];
  readonly most: number;
}

/** Lines over time by how grave they are, the gravest first. */
export function lineGroups({ buckets }: LineSeries): LineGroup[] {
  return GROUPS.map(({ name, of }) => {
    const values = buckets.map(({ at, counts }) => [at, sumOf(counts, of)] as const);
    return { name, values, most: Math.max(1, ...values.map(([, count]) => count)) };
  });
}

/** "3 errors, 12 warnings, 340 others". */
export function lineWords({ buckets, stepMs }: LineSeries, time: number): string {
  const bucket = buckets.find(({ at }) => time >= at && time < at + stepMs);
  return GROUPS.map(({ name, of }) => {
    const count = bucket ? sumOf(bucket.counts, of) : 0;
    return `${formatCount(count)} ${count === 1 ? name.slice(0, -1) : name}`;
  }).join(', ');
}

function sumOf(counts: readonly number[], of: readonly Severity[]): number {
  return of.reduce((sum, severity) => sum + (counts[SEVERITIES.indexOf(severity)] ?? 0), 0);
}
