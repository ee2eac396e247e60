import { readMetric } from '../../formats/otlp/record/metricRecord.ts';
import { eachRecord } from '../../formats/otlp/span/decodeTraces.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import { nameMetrics, writeMetrics } from '../../store/ingest/writeMetrics.ts';
import { prepareRecords } from '../../store/ingest/writeRecords.ts';
import type { Keeper } from '../keeper.ts';
import { seenOne, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeMetrics);

/** Keeps the metrics of a metric export request. */
export const keepMetrics: Keeper = async ({ groups }, refusals, body) => {
  const records = eachRecord(groups, refusals, (record, { group, resource }) => {
    const metric = readMetric(record);
    // A metric without points says nothing but its name; it stands where it came.
    const times = metric.points.map(({ time }) => time).sort((a, b) => (a < b ? -1 : 1));
    const time = times[0] ?? BigInt(Date.now()) * 1_000_000n;
    return { head: { metric, service: serviceOf(resource), resource }, time, lastTime: times.at(-1), group, record, resource };
  });
  if (records.length === 0) return undefined;
  const points = records.reduce((sum, { head }) => sum + head.metric.points.length, 0);
  const it = body(points);
  const kept = await write(it, async () => {
    const named = await nameMetrics(records.map(({ head }) => head));
    return prepareRecords(
      'metrics',
      records.map((record, at) => ({ ...record, head: named[at] })),
      it.hash,
    );
  });
  const senders = sendersOf(
    'metrics',
    records.flatMap(({ head, resource }) => head.metric.points.map(({ time }) => seenOne(resource, time, false))),
  );
  return { ...kept, senders };
};
