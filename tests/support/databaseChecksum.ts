import { createHash } from 'node:crypto';
import type pg from 'pg';

/** Everything of the user's data, and of the catalogue but the estimates that any VACUUM changes, too. */
export async function databaseChecksum(client: pg.Client): Promise<string> {
  const { rows } = await client.query(
    "SELECT relname FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace ORDER BY 1",
  );
  const parts: unknown[] = [];
  for (const { relname } of rows)
    parts.push((await client.query(`SELECT count(*), sum(hashtextextended(t::text, 0)::numeric) FROM "${relname}" t`)).rows);
  for (const sql of [
    "SELECT relname, relkind, relhasindex, relowner FROM pg_class WHERE relnamespace = 'public'::regnamespace ORDER BY 1",
    "SELECT attrelid::regclass::text, attname, attstattarget, atttypid FROM pg_attribute a JOIN pg_class c ON c.oid = attrelid WHERE relnamespace = 'public'::regnamespace ORDER BY 1, 2",
    'SELECT stxname FROM pg_statistic_ext',
    "SELECT starelid::regclass::text, staattnum, stadistinct, stanullfrac, md5(stavalues1::text || coalesce(stavalues2::text, '')) FROM pg_statistic WHERE starelid::regclass::text !~ '^pg_' ORDER BY 1, 2",
    'SELECT schemaname, sequencename, last_value FROM pg_sequences ORDER BY 1, 2',
    'SELECT indexdef FROM pg_indexes ORDER BY 1',
  ])
    parts.push((await client.query(sql)).rows);
  return createHash('sha256').update(JSON.stringify(parts)).digest('hex');
}
