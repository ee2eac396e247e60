import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** By the name of a virtual machine, the host that it was on last before a time (epoch nanoseconds), as the inventory tells. */
export async function machinesOfHosts(before: bigint): Promise<Map<string, string>> {
  const { rows } = await database().execute(sql`SELECT DISTINCT ON (object_id) name, part_of AS "partOf" FROM inventory
    WHERE kind = 'vm' AND part_of <> '' AND day <= ${dayOf(before)} AND time_ns < ${before} ORDER BY object_id, time_ns DESC`);
  return new Map((rows as unknown as { name: string; partOf: string }[]).map(({ name, partOf }) => [name, partOf]));
}
