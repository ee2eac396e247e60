import { sql } from 'drizzle-orm';
import { database } from './connection.ts';
import { trace } from './schema.ts';

/** How many spans are kept. */
export async function spanCount(): Promise<number> {
  const [{ spans }] = await database()
    .select({ spans: sql<string>`coalesce(sum(${trace.spanCount}), 0)` })
    .from(trace);
  return Number(spans);
}
