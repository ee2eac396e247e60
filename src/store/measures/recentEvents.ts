import { and, desc, gte, lt } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { runningAt } from '../profiles/running.ts';
import { change } from '../schema/index.ts';

/** Something that was changed. */
export interface ChangeRow {
  readonly at: number;
  readonly service: string;
  readonly kind: string;
  readonly phase: string;
  readonly title: string;
}

const MOST_CHANGES = 2_000;
const MS = 1_000_000n;

/** Changes in a stretch of time, epoch nanoseconds, the latest first. */
export async function changesBetween(from: bigint, to: bigint): Promise<ChangeRow[]> {
  const rows = await database()
    .select({ timeNs: change.timeNs, service: change.service, kind: change.kind, phase: change.phase, title: change.title })
    .from(change)
    .where(and(gte(change.timeNs, from), lt(change.timeNs, to)))
    .orderBy(desc(change.timeNs))
    .limit(MOST_CHANGES);
  return rows.map(({ timeNs, ...rest }) => ({ at: Number(timeNs / MS), ...rest }));
}

/** A request that was under way. */
export interface InFlightRow {
  readonly service: string;
  readonly operation: string;
  readonly traceId: string;
  readonly ageMs: number;
}

/** Younger requests are not worth a word outside of the page of running requests. */
const LEAST_AGE_MS = 2_000;
/**
 * Requests that were under way at a moment, the oldest first; the same ones as on the page of running requests, without the young. Where several
 * services report the same request, the operation is the innermost open one, and the age is that of the whole request.
 */
export async function inFlightAt(moment: bigint): Promise<{ at: number | null; requests: InFlightRow[] }> {
  const { rows } = await runningAt(moment);
  const old = rows.filter(({ ageMs }) => ageMs >= LEAST_AGE_MS);
  const requests = new Map<string, InFlightRow>();
  // The oldest comes first of those of one service; the youngest open operation is the deepest.
  for (const { service, operation, traceId, ageMs } of old) {
    const whole = requests.get(traceId);
    requests.set(traceId, { service, operation, traceId, ageMs: whole?.ageMs ?? ageMs });
  }
  return {
    at: old.length > 0 ? Math.max(...old.map(({ at }) => at)) : null,
    requests: [...requests.values()].sort((a, b) => b.ageMs - a.ageMs),
  };
}
