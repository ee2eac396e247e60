import { profileRows } from '../../core/profile/profileColumns.ts';
import { profileSegments } from '../columns/profileSegments.ts';

/** What profiles of one type sum to, by service. */
export interface ServiceTotal {
  value: number;
  count: number;
}

/** @param from, to epoch nanoseconds, `to` exclusive @param type with its unit */
export async function serviceTotals(from: bigint, to: bigint, type: string): Promise<Map<string, ServiceTotal>> {
  const totals = new Map<string, ServiceTotal>();
  for await (const { segment, from: slotNs, label } of profileSegments.read({ from, to })) {
    if (label === '') continue;
    const { rows, times, types, values, counts } = profileRows(segment);
    const wanted = types.texts.indexOf(type) + 1;
    const [first, end] = [from, to].map((at) => Number((at - slotNs) / 1_000_000n));
    const total = totals.get(label) ?? { value: 0, count: 0 };
    totals.set(label, total);
    if (wanted === 0) continue;
    for (let row = 0; row < rows; row++) {
      if (types.values[row] !== wanted || times[row] < first || times[row] >= end) continue;
      total.value += values[row];
      total.count += counts[row];
    }
  }
  return totals;
}
