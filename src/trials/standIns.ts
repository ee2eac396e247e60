import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { withClient } from '../store/database/oneClient.ts';
import { TRIALS_READER, TRIALS_ROLE, trialsPassword } from '../store/database/roles.ts';
import type { TrialServer } from './servers.ts';

/*
 * Stand-ins of the demo's servers: databases of the private cluster, made when they are asked for by files of SQL in the folder that
 * DUSK_STAND_INS names. They belong to a role that can reach nothing else of the cluster.
 */

const folder = () => process.env.DUSK_STAND_INS ?? '';
const fileOf = (name: string) => join(folder(), `${name}.sql`);
const databaseOf = (name: string) => `stand_in_${name.replaceAll(/[^a-z0-9]/g, '_')}`;

/** Names of the servers that have a stand-in. */
export function standInNames(): string[] {
  if (folder() === '' || !existsSync(folder())) return [];
  return readdirSync(folder())
    .flatMap((it) => (it.endsWith('.sql') ? [it.slice(0, -4)] : []))
    .sort();
}

const making = new Map<string, Promise<void>>();
const ready = new Set<string>();

export function isStandInReady(name: string): boolean {
  return ready.has(name);
}

/** A stand-in, made first when it is not there; that takes some seconds. @throws Error when it cannot be made */
export async function standIn(name: string): Promise<TrialServer> {
  if (!standInNames().includes(name)) throw new Error(`there is no stand-in of ${name}`);
  const under = making.get(name) ?? make(name).finally(() => making.delete(name));
  making.set(name, under);
  await under;
  ready.add(name);
  const url = new URL(process.env.DATABASE_URL!);
  url.username = TRIALS_ROLE;
  url.password = trialsPassword(decodeURIComponent(url.password));
  url.pathname = `/${databaseOf(name)}`;
  return { name, dsn: url.href, use: 'copy', readRole: TRIALS_READER, environment: '' };
}

async function make(name: string): Promise<void> {
  const sql = readFileSync(fileOf(name), 'utf8');
  const mark = `made of ${createHash('sha256').update(sql).digest('hex').slice(0, 16)}`;
  const database = databaseOf(name);
  await withClient(process.env.DATABASE_URL!, async (admin) => {
    const { rows } = await admin.query(
      "SELECT shobj_description(oid, 'pg_database') AS mark FROM pg_database WHERE datname = $1",
      [database],
    );
    if (rows[0]?.mark === mark) return;
    // One that was not finished, or of another form, is made anew.
    if (rows.length > 0) await admin.query(`DROP DATABASE ${database} WITH (FORCE)`);
    await admin.query(`CREATE DATABASE ${database} OWNER ${TRIALS_ROLE}`);
    const url = new URL(process.env.DATABASE_URL!);
    url.pathname = `/${database}`;
    await withClient(url.href, async (inside) => {
      await inside.query(`SET ROLE ${TRIALS_ROLE}`);
      await inside.query('SET statement_timeout = 0; SET synchronous_commit = off');
      await inside.query(sql);
      // Of the role's own alone: what an extension brought is another's.
      const { rows: made } = await inside.query<{ name: string }>(
        `SELECT oid::regclass::text AS name FROM pg_class
          WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p', 'v', 'm') AND relowner = current_user::regrole`,
      );
      for (const { name } of made) await inside.query(`GRANT SELECT ON ${name} TO ${TRIALS_READER}`);
      await inside.query('VACUUM (ANALYZE)');
    });
    await admin.query(`COMMENT ON DATABASE ${database} IS '${mark}'`);
  });
}
