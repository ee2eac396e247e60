import { type DerivedEvent, deriveEvent, isOwnEvent } from '../../formats/events/kinds.ts';
import { readLog, readLogHead } from '../../formats/otlp/record/logRecord.ts';
import { eachRecord, type Origin } from '../../formats/otlp/span/decodeTraces.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import type { Refusals } from '../../formats/otlp/wire/refusal.ts';
import type { ReadLog } from '../../store/ingest/logArrival.ts';
import { writeLogs } from '../../store/ingest/writeLogs.ts';
import { prepareRecords } from '../../store/ingest/writeRecords.ts';
import type { Keeper } from '../keeper.ts';
import { seenOne, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeLogs);

/** Keeps the records of a log export request. An event of ours that is not as its schema says is kept as a log record all the same. */
export const keepLogs: Keeper = async ({ groups }, refusals, body) => {
  const records = eachRecord(groups, refusals, readOne);
  if (records.length === 0) return undefined;
  const it = body(records.length);
  const kept = await write(it, () => prepareRecords('logs', records, it.hash));
  const senders = sendersOf(
    'logs',
    records.map(({ head, resource }) => seenOne(resource, head.time, head.traceId !== null)),
  );
  return { ...kept, senders };
};

function readOne(record: Uint8Array, { group, resource }: Origin, refusals: Refusals) {
  const { time, severity, eventName, traceId } = readLogHead(record);
  const head: ReadLog = {
    time,
    severity,
    eventName,
    traceId,
    service: serviceOf(resource),
    event: eventOf(eventName, record, refusals),
  };
  return { head, time, group, record, resource };
}

function eventOf(eventName: string, record: Uint8Array, refusals: Refusals): DerivedEvent | null {
  if (!isOwnEvent(eventName)) return null;
  const derived = deriveEvent(eventName, readLog(record).attributes);
  if (!('wrong' in derived)) return derived;
  refusals.warn(derived.wrong);
  return null;
}
