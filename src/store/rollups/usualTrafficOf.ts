import type { RuleReference } from '../../core/incidents/rules.ts';
import { MOST_DAYS, usualCalls } from '../../core/incidents/usualTraffic.ts';
import { entryCalls } from './entryCalls.ts';
import { storedTime } from './requestSeries.ts';

const A_DAY = 1_440;
/** Minutes before the first that is looked at: a rule's minutes, and those around. */
const MARGIN = 420;

/** What is usual at the time of day of each minute of a stretch, for the requests that come in by some operations. */
export async function usualTrafficOf(
  operationIds: readonly number[],
  from: number,
  to: number,
): Promise<NonNullable<RuleReference['usualCalls']>> {
  const [calls, kept] = await Promise.all([entryCalls(operationIds, from - MOST_DAYS * A_DAY - MARGIN, to), storedTime()]);
  const firstKnown = kept ? Number(kept.from / 60_000_000_000n) : to;
  return (minute, minutes) => usualCalls(calls, minute, minutes, firstKnown);
}
