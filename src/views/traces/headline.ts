import type { TraceOverview } from '../../api/traces/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';

/** What the list shows, as a sentence made from its numbers. */
export function headline(overview: TraceOverview | undefined): string {
  if (!overview) return 'Looking …';
  const { count, failed, p50Ns, p95Ns, maxNs } = overview;
  if (count === 0 || p50Ns === null || p95Ns === null || maxNs === null) return 'Nothing is lit here';
  if (count === 1) return `One request, ${formatDuration(maxNs)}${failed === 1 ? ', with a failure' : ''}`;
  const requests = `${formatCount(count)} requests`;
  if (failed === count) return `All ${requests} have a failure`;
  if (p95Ns >= 5 * p50Ns) return `Half of ${requests} took under ${formatDuration(p50Ns)}, 1 in 20 over ${formatDuration(p95Ns)}`;
  return `${requests}, most under ${formatDuration(p95Ns)}, the slowest ${formatDuration(maxNs)}`;
}
