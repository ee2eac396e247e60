import { and, desc, eq, gte, lt, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { withOpenRequests } from '../profiles/openRunning.ts';
import { change, inFlight } from '../schema/index.ts';

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
/** A service reports what is running this often at least; what is older is not "now". */
const FRESH_NS = 60_000_000_000n;

/**
 * Requests that were under way when each service was last asked before a moment, the oldest first. Of a request that several services report,
 * the one that began last says how deep it has got: its operation is the innermost that is open, its age that of the whole.
 */
export async function inFlightAt(moment: bigint): Promise<{ at: number | null; requests: InFlightRow[] }> {
  const rows = await database()
    .select({
      timeNs: inFlight.timeNs,
      service: inFlight.service,
      operation: inFlight.operation,
      traceId: inFlight.traceId,
      ageMs: inFlight.ageMs,
    })
    .from(inFlight)
    .where(
      and(
        gte(inFlight.timeNs, moment - FRESH_NS),
        lt(inFlight.timeNs, moment),
        gte(inFlight.ageMs, LEAST_AGE_MS),
        eq(inFlight.state, 'running'),
        eq(inFlight.openSpan, false),
      ),
    )
    .orderBy(desc(inFlight.timeNs), sql`${inFlight.ageMs} DESC`);
  const latest = new Map<string, bigint>();
  for (const row of rows) if (!latest.has(row.service)) latest.set(row.service, row.timeNs);
  const reported = rows.filter((row) => latest.get(row.service) === row.timeNs);
  const now = (
    await withOpenRequests<(typeof rows)[number]>(reported, moment, ({ at, ...open }) => ({ ...open, timeNs: BigInt(at) * MS }))
  ).filter(({ ageMs }) => ageMs >= LEAST_AGE_MS);
  const requests = new Map<string, InFlightRow>();
  // The oldest comes first of those of one service; the youngest open operation is the deepest.
  for (const { service, operation, traceId, ageMs } of [...now].sort((a, b) => b.ageMs - a.ageMs)) {
    const whole = requests.get(traceId);
    requests.set(traceId, { service, operation, traceId, ageMs: whole?.ageMs ?? ageMs });
  }
  return {
    at: now.length > 0 ? Math.max(...now.map(({ timeNs }) => Number(timeNs / MS))) : null,
    requests: [...requests.values()].sort((a, b) => b.ageMs - a.ageMs),
  };
}
