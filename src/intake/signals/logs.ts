import { type DerivedEvent, deriveEvent, isOwnEvent } from '../../formats/events/kinds.ts';
import { eachRecord } from '../../formats/otlp/decodeTraces.ts';
import { type LogHead, readLog, readLogHead } from '../../formats/otlp/logRecord.ts';
import type { Refusals } from '../../formats/otlp/refusal.ts';
import { serviceOf } from '../../formats/otlp/spanRecord.ts';
import type { ReadLog } from '../../store/logArrival.ts';
import { writeLogs } from '../../store/writeLogs.ts';
import { prepareRecords } from '../../store/writeRecords.ts';
import type { Keeper } from '../keeper.ts';
import { seenOne, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeLogs);

/** Keeps the records of a log export request. An event of ours that is not as its schema says is kept as a log record all the same. */
export const keepLogs: Keeper = async ({ groups }, refusals, body) => {
  const records = eachRecord(groups, refusals, (record, { group, resource }) => {
    const head = readLogHead(record);
    const log: ReadLog = { ...head, service: serviceOf(resource), event: eventOf(head, record, refusals) };
    return { head: log, time: head.time, group, record, resource };
  });
  if (records.length === 0) return undefined;
  const it = body(records.length);
  const kept = await write(it, () => prepareRecords('logs', records, it.hash));
  const senders = sendersOf(
    'logs',
    records.map(({ head, resource }) => seenOne(resource, head.time, head.traceId !== null)),
  );
  return { ...kept, senders };
};

function eventOf({ eventName }: LogHead, record: Uint8Array, refusals: Refusals): DerivedEvent | null {
  if (!isOwnEvent(eventName)) return null;
  const derived = deriveEvent(eventName, readLog(record).attributes);
  if (!('wrong' in derived)) return derived;
  refusals.warn(derived.wrong);
  return null;
}
