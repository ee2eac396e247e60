import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { spanBlock } from '../schema/index.ts';

/** How many spans are kept. Counted by their blocks. */
export async function spanCount(): Promise<number> {
  const [{ spans }] = await database()
    .select({ spans: sql<string>`coalesce(sum(${spanBlock.records}), 0)` })
    .from(spanBlock);
  return Number(spans);
}
