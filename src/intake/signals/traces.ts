import { ANSWER_KEYS } from '../../core/trace/callerMistake.ts';
import { PEER_KEYS } from '../../core/trace/peer.ts';
import { eachRecord } from '../../formats/otlp/decodeTraces.ts';
import { readSpanHead, WantedKeys } from '../../formats/otlp/spanHead.ts';
import { serviceOf } from '../../formats/otlp/spanRecord.ts';
import { prepareSpans, writeSpans } from '../../store/writeSpans.ts';
import type { Keeper } from '../keeper.ts';
import { sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const WANTED = new WantedKeys([...PEER_KEYS, ...ANSWER_KEYS, 'user.id', 'enduser.id', 'session.id']);

const write = writeQueue(writeSpans);

/** Keeps the spans of a trace export request. */
export const keepTraces: Keeper = async ({ groups }, refusals, body) => {
  const spans = eachRecord(groups, refusals, (record, { group, resource }) => ({
    head: readSpanHead(record, WANTED),
    service: serviceOf(resource),
    group,
    record,
    resource,
  }));
  if (spans.length === 0) return undefined;
  const it = body(spans.length);
  const kept = await write(it, () => prepareSpans(spans, it.hash));
  const senders = sendersOf(
    'traces',
    spans.map(({ head, resource }) => ({ resource, end: head.start + BigInt(head.durationNs), withTrace: true })),
  );
  return { ...kept, senders };
};
