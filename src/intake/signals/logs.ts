import { isSecret } from '../../core/machines/secrets.ts';
import { type DerivedEvent, deriveEvent, isOwnEvent } from '../../formats/events/kinds.ts';
import { readLog, readLogHead } from '../../formats/otlp/record/logRecord.ts';
import { eachRecord, type Origin } from '../../formats/otlp/span/decodeTraces.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import type { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { rememberStatements, type StatementText } from '../../store/databases/statementTexts.ts';
import type { ReadLog } from '../../store/ingest/logArrival.ts';
import { nameLogKinds, writeLogs } from '../../store/ingest/writeLogs.ts';
import { prepareRecords } from '../../store/ingest/writeRecords.ts';
import { rememberStacks } from '../../store/profiles/stackTexts.ts';
import type { Keeper } from '../keeper.ts';
import { seenOne, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeLogs);

/** Keeps the records of a log export request. An event of ours that is not as its schema says is kept as a log record all the same. */
export const keepLogs: Keeper = async ({ groups }, refusals, body) => {
  const records = eachRecord(groups, refusals, readOne);
  if (records.length === 0) return undefined;
  const it = body(records.length);
  await rememberStatements(records.flatMap(({ head }) => statementsOf(head)));
  await rememberStacks(records.map(({ head }) => stackOf(head)));
  const kept = await write(it, async () => {
    // Known before they are written with those of other requests, so that it is known who brought them.
    await nameLogKinds(records.map(({ head }) => head));
    return prepareRecords('logs', records, it.hash, { isRaw: isStoredRaw });
  });
  const senders = sendersOf(
    'logs',
    records.map(({ head, resource }) => seenOne(resource, head.time, head.traceId !== null)),
  );
  return { ...kept, senders };
};

/** Sampled seconds are stored as blocks of sessions, which hold all of them; of a secret only what is derived is, without its values. */
function isStoredRaw({ event }: ReadLog): boolean {
  if (event?.table === 'inventory') return !isSecret(event.row.kind, event.row.specification);
  return event?.table !== 'dbSecond';
}

function statementsOf({ event }: ReadLog): StatementText[] {
  if (event?.table === 'dbSecond')
    return Object.entries(event.row.statements).map(([id, text]) => ({ id, system: event.row.system, text }));
  if (event?.table === 'dbStatement') return [{ id: event.row.statementId, system: event.row.system, text: event.row.text }];
  return [];
}

function stackOf({ event }: ReadLog): string {
  return event?.table === 'inFlight' ? event.row.stack : '';
}

function readOne(record: Uint8Array, { group, resource }: Origin, refusals: Refusals) {
  const { time, severity, eventName, traceId } = readLogHead(record);
  const head: ReadLog = {
    time,
    severity,
    eventName,
    traceId,
    service: serviceOf(resource),
    instance: String(resource['service.instance.id'] ?? ''),
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
