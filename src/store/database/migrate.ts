import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { sql } from 'drizzle-orm';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { setAside } from '../retention/setAside.ts';
import { database } from './connection.ts';

/** Of what an older schema holds less was derived: values that requests can be narrowed by, who calls whom, instances. */
const DERIVED_SINCE = '0008_watched_series';

/**
 * Brings the database to the newest schema. What a much older one holds is set aside, for the application to take it in again.
 *
 * @param folder where the migrations lie @throws Error when it was made by a newer application
 */
export async function migrateStore(folder: string): Promise<void> {
  const made = await storedSchema();
  refuseNewerSchema(made, knownSchema(folder), 'the data was');
  // Before the schema says that it is a new one: where this is broken off, it is gone on with.
  if (made > 0 && made < migrationsIn(folder).find(({ tag }) => tag === DERIVED_SINCE)!.when) await setAside();
  await migrate(database(), { migrationsFolder: folder });
}

/** The newest schema that this application knows, as epoch milliseconds of when it was made. */
export function knownSchema(folder: string): number {
  return Math.max(...migrationsIn(folder).map(({ when }) => when));
}

function migrationsIn(folder: string): { readonly tag: string; readonly when: number }[] {
  return JSON.parse(readFileSync(join(folder, 'meta', '_journal.json'), 'utf8')).entries;
}

/** The schema that the database has; 0 when it has none yet. */
export async function storedSchema(): Promise<number> {
  const { rows: there } = await database().execute<{ there: boolean }>(
    sql`SELECT to_regclass('drizzle.__drizzle_migrations') IS NOT NULL AS there`,
  );
  if (!there[0].there) return 0;
  const { rows } = await database().execute<{ newest: string | null }>(
    sql`SELECT max(created_at) AS newest FROM drizzle.__drizzle_migrations`,
  );
  return Number(rows[0].newest ?? 0);
}

/** @param what begins the sentence, such as `the data was` @throws Error when what was made is newer than what is known */
export function refuseNewerSchema(made: number, known: number, what: string): void {
  if (made <= known) return;
  const day = (ms: number) => new Date(ms).toISOString().slice(0, 10);
  throw new Error(
    `${what} made by a newer Dusk Lantern (schema of ${day(made)}); this one knows those up to ${day(known)}. Nothing was changed: start the newer one`,
  );
}
