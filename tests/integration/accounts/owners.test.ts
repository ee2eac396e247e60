import { readFileSync } from 'node:fs';
import pg from 'pg';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { STORE_ROLE } from '../../../src/store/database/roles.ts';
import { type Installation, install } from '../../support/installation.ts';
import { getJson } from '../../support/sending.ts';

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk?.stop());

async function asked<Row extends pg.QueryResultRow>(url: string, query: string): Promise<Row[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return (await client.query<Row>(query)).rows;
  } finally {
    await client.end();
  }
}

const NOT_OWN = `SELECT n.nspname || '.' || relname AS name FROM pg_class c JOIN pg_namespace n ON n.oid = relnamespace
  WHERE nspname IN ('public', 'drizzle') AND relkind IN ('r', 'p', 'S') AND relowner <> '${STORE_ROLE}'::regrole`;

it('the application works by a role that owns its own database and nothing of the cluster', async () => {
  const [role] = await asked(dusk.cluster.url, 'SELECT * FROM pg_roles WHERE rolname = current_user');
  expect(role).toMatchObject({ rolname: STORE_ROLE, rolsuper: false, rolcreaterole: false, rolcreatedb: false });
  expect(await asked(dusk.cluster.url, NOT_OWN)).toEqual([]);
  for (const query of ["SELECT pg_read_file('/etc/passwd')", 'CREATE ROLE other', "COPY (SELECT 1) TO PROGRAM 'true'"])
    await expect(asked(dusk.cluster.url, query)).rejects.toThrow(/permission denied|must be superuser/);
});

it('what an earlier application made as the owner of the cluster is given over', async () => {
  await dusk.stopApplication();
  const { rows: tables } = {
    rows: await asked<{ name: string }>(
      dusk.cluster.adminUrl,
      "SELECT oid::regclass::text AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p')",
    ),
  };
  for (const { name } of tables) await asked(dusk.cluster.adminUrl, `ALTER TABLE ${name} OWNER TO dusk`);
  await asked(dusk.cluster.adminUrl, 'ALTER SCHEMA drizzle OWNER TO dusk; ALTER DATABASE dusk OWNER TO dusk');
  expect((await asked(dusk.cluster.adminUrl, NOT_OWN)).length).toBeGreaterThan(tables.length);
  await dusk.cluster.stop();
  await dusk.startCluster();
  expect(await asked(dusk.cluster.adminUrl, NOT_OWN)).toEqual([]);
  await dusk.startApplication();
  expect((await getJson(dusk.url, '/api/health')).status).toBe('ok');
});

it.skipIf(process.getuid?.() !== 0)('started by root, it runs as a user of its own', () => {
  const status = readFileSync(`/proc/${dusk.application.pid}/status`, 'utf8');
  const uids = /^Uid:\s+(.*)$/m.exec(status)![1].split(/\s+/);
  expect([dusk.application.asRoot, uids.includes('0')]).toEqual([undefined, false]);
});
