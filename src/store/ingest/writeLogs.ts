import { isLine } from '../../core/logs/isLine.ts';
import type { ArrivalBlock } from '../blocks/packBlocks.ts';
import { markSlots, slotOfMinute, type TouchedSlots, touchSlot } from '../columns/slots.ts';
import { type Copy, copyOf } from '../database/copyRows.ts';
import { internLogKinds } from '../dictionaries/dictionaries.ts';
import { CLOCK_OUT_OF_RANGE } from '../retention/days.ts';
import { minuteOf } from '../rollups/rollups.ts';
import { eventRows } from './eventRows.ts';
import type { ReadLog } from './logArrival.ts';
import { sessionBlocks } from './sessionBlocks.ts';
import { visitSlots } from './visitSlots.ts';
import { type RecordArrival, recordWriter } from './writeRecords.ts';

type LogBlock = ArrivalBlock<RecordArrival<ReadLog>>;

/** Keeps the log records of some requests: their blocks, where those of a trace lie, counts by the minute, and events. */
export const writeLogs = recordWriter<ReadLog>('logs', async (blocks, client, arrivals) => {
  const copies = [
    copyOf('log_trace', ['day', 'trace_id', 'block_id', 'records'], tracesOf(blocks)),
    await minuteRows(blocks),
    ...eventRows(arrivals),
    sessionBlocks(arrivals),
  ];
  await markSlots(client, 'log', slotsOf(blocks));
  await markSlots(client, 'session', sessionSlots(arrivals));
  await markSlots(client, 'visit', await visitSlots(client, arrivals));
  return copies;
});

/** The slots in which there are new lines. Events of the project's own are no lines; those of a clock out of range are found by their trace alone. */
function slotsOf(blocks: readonly LogBlock[]): TouchedSlots {
  const slots: TouchedSlots = new Map();
  for (const { arrivals } of blocks)
    for (const { head, day } of arrivals)
      if (day !== CLOCK_OUT_OF_RANGE && isLine(head.eventName)) touchSlot(slots, day, slotOfMinute(minuteOf(head.time)));
  return slots;
}

/** The slots in which there are new sampled seconds. */
function sessionSlots(arrivals: readonly RecordArrival<ReadLog>[]): TouchedSlots {
  const slots: TouchedSlots = new Map();
  for (const { head, day } of arrivals)
    if (day !== CLOCK_OUT_OF_RANGE && head.event?.table === 'dbSecond') touchSlot(slots, day, slotOfMinute(minuteOf(head.time)));
  return slots;
}

function tracesOf(blocks: readonly LogBlock[]) {
  return blocks.flatMap(({ id, day, arrivals }) => {
    const counts = new Map<string, number>();
    for (const { head } of arrivals) if (head.traceId) counts.set(head.traceId, (counts.get(head.traceId) ?? 0) + 1);
    return [...counts].map(([traceId, records]) => [day, Buffer.from(traceId, 'hex'), id, records] as const);
  });
}

/** Adds the kinds that records are of to the dictionary. */
export async function nameLogKinds(heads: readonly ReadLog[]): Promise<void> {
  const kinds = new Map(
    heads.map(({ service, severity, eventName }) => [`${severity} ${eventName} ${service}`, { service, severity, eventName }]),
  );
  await internLogKinds([...kinds.values()]);
}

async function minuteRows(blocks: readonly LogBlock[]): Promise<Copy> {
  type Count = { day: number; minute: number; head: ReadLog; records: number; withTrace: number };
  const counts = new Map<string, Map<number, Count>>();
  const list: Count[] = [];
  for (const { arrivals } of blocks)
    for (const { head, day } of arrivals) {
      const kind = `${head.severity} ${head.eventName} ${head.service}`;
      const byMinute = counts.get(kind) ?? new Map<number, Count>();
      if (byMinute.size === 0) counts.set(kind, byMinute);
      const minute = minuteOf(head.time);
      let count = byMinute.get(minute);
      if (!count) {
        count = { day, minute, head, records: 0, withTrace: 0 };
        byMinute.set(minute, count);
        list.push(count);
      }
      count.records++;
      if (head.traceId) count.withTrace++;
    }
  const ids = await internLogKinds(list.map(({ head: { service, severity, eventName } }) => ({ service, severity, eventName })));
  const rows = list.map(({ day, minute, records, withTrace }, at) => [day, minute, ids[at], records, withTrace]);
  return copyOf('log_minute', ['day', 'minute', 'key_id', 'records', 'with_trace'], rows);
}
