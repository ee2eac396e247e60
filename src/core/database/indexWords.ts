import { formatBytes } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { MissingIndex, UnusedIndex } from './indexAdvice.ts';
import { formatSessions } from './words.ts';

/** "sailing (route, departs_at)" */
export function indexOn({ table, columns }: Pick<MissingIndex, 'table' | 'columns'>): string {
  return `${table} (${columns.join(', ')})`;
}

/** What is known of the indexes of a server. */
export interface IndexesKnown {
  /** Statements whose plan is known; 0 when nobody reports plans. */
  readonly plans: number;
  /** Indexes that are counted; 0 when nobody counts them. */
  readonly indexes: number;
  /** For how long the longest of them was, milliseconds. */
  readonly observedMs: number;
  /** Whether that is long enough to say that one is not used. */
  readonly isLongEnough: boolean;
}

/** "An index on session (expires_at) is missing, for 0.12 sessions; 2 indexes of 48 MB were not used in 2 d" */
export function indexesSentence(
  server: string,
  missing: readonly Pick<MissingIndex, 'table' | 'columns' | 'saves'>[],
  unused: readonly Pick<UnusedIndex, 'bytes'>[],
  known: IndexesKnown,
): string {
  if (known.plans === 0 && known.indexes === 0) return `Nobody reports plans or indexes of ${server}`;
  const [first] = missing;
  const others = missing.length > 1 ? `, and ${missing.length - 1} more` : '';
  const lacks = first
    ? `An index on ${indexOn(first)} is missing: it would save up to ${formatSessions(first.saves)} sessions${others}`
    : known.plans === 0
      ? `Nobody reports plans of ${server}: what is missing is not known`
      : 'No plan lacks an index';
  if (known.indexes === 0) return `${lacks}; which indexes are used is not reported`;
  if (!known.isLongEnough) return `${lacks}; counted too short a time to say which are not used`;
  const size = unused.reduce((sum, { bytes }) => sum + bytes, 0);
  const time = formatDuration(known.observedMs * 1e6);
  return unused.length === 0
    ? `${lacks}; all were used in ${time}`
    : `${lacks}; ${unused.length} of ${known.indexes} ${unused.length === 1 ? 'was' : 'were'} not used in ${time}, ${formatBytes(size)}`;
}
