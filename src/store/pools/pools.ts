import { PoolReader } from '../../core/pools/poolColumns.ts';
import type { StoredPool } from '../../core/pools/storedPool.ts';
import { machineSegments, POOLS } from '../columns/machineSegments.ts';

const MINUTE_NS = 60_000_000_000n;

/**
 * What is measured of pools of database connections in the minutes of a stretch of time (epoch nanoseconds, `to` exclusive), from columns.
 *
 * @param of only this pool
 */
export async function storedPools(
  from: bigint,
  to: bigint,
  of?: { readonly service: string; readonly name: string },
): Promise<StoredPool[]> {
  const reader = new PoolReader(Number(from / MINUTE_NS), Number((to + MINUTE_NS - 1n) / MINUTE_NS), of);
  for await (const { segment } of machineSegments.read({ from, to, label: POOLS })) reader.add(segment);
  return reader.pools();
}
