import { profileRows } from '../../core/profile/profileColumns.ts';
import { type StackFilter, StackSums } from '../../core/profile/stackSums.ts';
import { profileSegments } from '../columns/profileSegments.ts';

/**
 * What the profiles of a stretch of time sum to, stack by stack. A profile belongs to the stretch when its middle lies in it.
 *
 * @param from, to epoch nanoseconds, `to` exclusive @param service undefined for all
 */
export async function stackSums(from: bigint, to: bigint, service: string | undefined, filter: StackFilter): Promise<StackSums> {
  const sums = new StackSums();
  for await (const { segment, from: slotNs, label } of profileSegments.read({ from, to, label: service }))
    if (label !== '')
      sums.add(profileRows(segment), Number((from - slotNs) / 1_000_000n), Number((to - slotNs) / 1_000_000n), filter);
  return sums;
}
