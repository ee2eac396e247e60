import { MachineMeasures } from '../../core/machines/measureColumns.ts';
import type { RawMeasure } from '../../core/machines/measures.ts';
import { MACHINES, machineSegments } from '../columns/machineSegments.ts';
import { podsByUid } from './objects.ts';

const MINUTE_NS = 60_000_000_000n;

/**
 * What machines, containers and processes measured, minute by minute. What a machine says of a pod by its uid is the pod's.
 *
 * @param from, to epoch nanoseconds of whole minutes, `to` exclusive @param wanted only these measures; all by default
 * @throws MeasuresTooMany when there are too many series for so long a time
 */
export async function machineMeasures(from: bigint, to: bigint, wanted?: readonly RawMeasure[]): Promise<MachineMeasures> {
  const firstMinute = Number(from / MINUTE_NS);
  const measures = new MachineMeasures(firstMinute, Math.max(0, Number((to + MINUTE_NS - 1n) / MINUTE_NS) - firstMinute), wanted);
  for await (const { segment, from: slotNs } of machineSegments.read({ from, to, label: MACHINES }))
    measures.add(segment, Number(slotNs / MINUTE_NS));
  const uids = measures.uidsWithoutName;
  if (uids.length > 0) measures.nameThose(await podsByUid(to, uids));
  return measures;
}
