import { readProfileHead, readTables } from '../../formats/otlp/record/profileRecord.ts';
import { eachRecord, readWhole } from '../../formats/otlp/span/decodeTraces.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import { dictionaryOf } from '../../formats/otlp/wire/request.ts';
import { nameProfiles, writeProfiles } from '../../store/ingest/writeProfiles.ts';
import { prepareRecords } from '../../store/ingest/writeRecords.ts';
import type { Keeper } from '../keeper.ts';
import { seenOne, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeProfiles);

/** Keeps the profiles of a profile export request. Each block carries the request's dictionary, so that it can be read by itself. */
export const keepProfiles: Keeper = async (request, refusals, body) => {
  const tables = readWhole(() => readTables(dictionaryOf(request)));
  const records = eachRecord(request.groups, refusals, (record, { group, resource }) => {
    const head = readProfileHead(record, tables);
    return { head: { ...head, service: serviceOf(resource), resource }, time: head.time, group, record, resource };
  });
  if (records.length === 0) return undefined;
  const it = body(records.length);
  const kept = await write(it, async () => {
    const named = await nameProfiles(records.map(({ head }) => head));
    return prepareRecords(
      'profiles',
      records.map((record, at) => ({ ...record, head: named[at] })),
      it.hash,
      { beside: request.beside },
    );
  });
  const senders = sendersOf(
    'profiles',
    records.map(({ head, resource }) => seenOne(resource, head.time + BigInt(head.durationNs), head.linked > 0)),
  );
  return { ...kept, senders };
};
