import type pg from 'pg';
import { LONGEST_VISIT_MS } from '../../core/visits/splitVisits.ts';
import { SLOT_NS, slotOfMinute, type TouchedSlots, touchSlot } from '../columns/slots.ts';
import { CLOCK_OUT_OF_RANGE, dayOf } from '../retention/days.ts';
import { minuteOf } from '../rollups/rollups.ts';
import type { ReadLog } from './logArrival.ts';
import type { RecordArrival } from './writeRecords.ts';

const LONGEST_NS = BigInt(LONGEST_VISIT_MS) * 1_000_000n;

/**
 * The slots whose columns of visits change by new events: those of the events, and those in which the same sessions have others. A visit lies
 * in the slot in which it began, wherever it goes on.
 */
export async function visitSlots(client: pg.PoolClient, arrivals: readonly RecordArrival<ReadLog>[]): Promise<TouchedSlots> {
  const slots: TouchedSlots = new Map();
  const sessions = new Set<string>();
  let [first, last] = [0n, 0n];
  for (const { head, day } of arrivals) {
    if (day === CLOCK_OUT_OF_RANGE || head.event?.table !== 'visit') continue;
    touchSlot(slots, day, slotOfMinute(minuteOf(head.time)));
    sessions.add(head.event.row.session);
    if (first === 0n || head.time < first) first = head.time;
    if (head.time > last) last = head.time;
  }
  if (sessions.size === 0) return slots;
  const [from, to] = [first - LONGEST_NS, last + LONGEST_NS];
  const { rows } = await client.query<{ day: number; slot: number }>({
    name: 'slots of sessions',
    text: `SELECT DISTINCT day, (time_ns / $5::bigint)::int AS slot FROM visit
      WHERE day BETWEEN $1 AND $2 AND time_ns BETWEEN $3 AND $4 AND session = ANY($6::text[])`,
    values: [Math.max(1, dayOf(from)), dayOf(to), from, to, SLOT_NS, [...sessions]],
  });
  for (const { day, slot } of rows) touchSlot(slots, day, slot);
  return slots;
}
