import { sql } from 'drizzle-orm';
import type { Segment } from '../../core/columns/segment.ts';
import { LONGEST_VISIT_MS, SILENCE_MS, splitVisits } from '../../core/visits/splitVisits.ts';
import { visitSegments as segmentsOf, VISIT_PARTS } from '../../core/visits/visitColumns.ts';
import type { VisitEvent } from '../../core/visits/visitEvent.ts';
import { type Visit, visitOf } from '../../core/visits/visitOf.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** The columns of visits by the slot in which each began, a part for each of `VISIT_PARTS`. */
export const visitSegments: SlotSegments = slotSegments({
  subject: 'visit',
  worthSaving: 2_000,
  build,
});

/** Events of one visit, and sessions of one slot, that are put together; what is beyond is left out. */
const MOST_EVENTS = 5_000;
const MOST_SESSIONS = 60_000;
/** Sessions that are read at a time. */
const READ_AT_ONCE = 500;
const SILENCE_NS = BigInt(SILENCE_MS) * 1_000_000n;
const LONGEST_NS = BigInt(LONGEST_VISIT_MS) * 1_000_000n;

export interface VisitEventRow extends VisitEvent {
  readonly session: string;
  readonly app: string;
  readonly user: string;
}

async function build(
  { slot }: Slot,
  _former: readonly Segment[],
  keep: (part: Segment, label?: string) => void,
): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const sessions = await sessionsIn(from, from + SLOT_NS);
  const visits: Visit[] = [];
  let read = 0;
  const fromMs = Number(from / 1_000_000n);
  const toMs = Number((from + SLOT_NS) / 1_000_000n);
  for (let at = 0; at < sessions.length; at += READ_AT_ONCE)
    for (const events of await sessionEvents(
      sessions.slice(at, at + READ_AT_ONCE),
      from - SILENCE_NS,
      from + SLOT_NS + LONGEST_NS,
    )) {
      read += events.length;
      for (const own of splitVisits(events)) {
        // What went on from before the slot belongs to an earlier one.
        const [{ atMs, session, app, user }] = own;
        if (atMs >= fromMs && atMs < toMs)
          visits.push(visitOf(session, app, own.find((it) => it.user !== '')?.user ?? user, own));
      }
    }
  visits.sort((a, b) => a.fromMs - b.fromMs);
  const parts = segmentsOf(visits, fromMs);
  for (const part of VISIT_PARTS) keep(parts[part], part);
  return read;
}

async function sessionsIn(from: bigint, to: bigint): Promise<string[]> {
  const { rows } = await database().execute(sql`SELECT DISTINCT session FROM visit
    WHERE day = ${dayOf(from)} AND time_ns >= ${from} AND time_ns < ${to} ORDER BY session LIMIT ${MOST_SESSIONS}`);
  return (rows as unknown as { session: string }[]).map(({ session }) => session);
}

/**
 * The events of sessions in a stretch of time, session by session, each in order of time.
 *
 * @param from, to epoch nanoseconds, `to` exclusive
 */
export async function sessionEvents(sessions: readonly string[], from: bigint, to: bigint): Promise<VisitEventRow[][]> {
  if (sessions.length === 0) return [];
  const { rows } = await database().execute(sql`
    SELECT session, service AS app, user_ref AS user, kind, page, name, duration_ms::float8 AS "durationMs", trace_id AS "traceId",
      "order", detail, about, (time_ns / 1000)::float8 / 1000 AS "atMs"
    FROM visit WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      AND session = ANY(${sql.param([...sessions])}::text[])
    ORDER BY session, service, time_ns, "order"`);
  const found: VisitEventRow[][] = [];
  for (const row of rows as unknown as VisitEventRow[]) {
    const last = found.at(-1);
    // An id that two applications use is two sessions.
    if (last?.[0].session !== row.session || last[0].app !== row.app) found.push([row]);
    else if (last.length < MOST_EVENTS) last.push(row);
  }
  return found;
}
