import { MachineMeasures } from '../../core/machines/measureColumns.ts';
import { machineSegments } from '../columns/machineSegments.ts';

const MINUTE_NS = 60_000_000_000n;

/** What machines, containers and processes measured, minute by minute. @param from, to epoch nanoseconds of whole minutes, `to` exclusive */
export async function machineMeasures(from: bigint, to: bigint): Promise<MachineMeasures> {
  const firstMinute = Number(from / MINUTE_NS);
  const measures = new MachineMeasures(firstMinute, Math.max(0, Number((to + MINUTE_NS - 1n) / MINUTE_NS) - firstMinute));
  for await (const { segment, from: slotNs } of machineSegments.read({ from, to }))
    measures.add(segment, Number(slotNs / MINUTE_NS));
  return measures;
}
