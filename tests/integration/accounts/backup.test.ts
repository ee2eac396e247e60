import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { backUp, restore } from '../../../src/server/backup/backup.ts';
import { freePort } from '../../../src/server/freePort.ts';
import { postgresBinaries } from '../../../src/server/postgres/binaries.ts';
import { removeCluster, startCluster } from '../../../src/server/postgres/cluster.ts';
import { upgradeStore } from '../../../src/server/postgres/upgrade.ts';
import { type Application, startApplication } from '../../../src/server/startApplication.ts';
import { closeConnections, database } from '../../../src/store/database/connection.ts';
import { migrateStore } from '../../../src/store/database/migrate.ts';
import { dataFolder, type Installation, install } from '../../support/installation.ts';
import { manyCalls } from '../../support/made/manyCalls.ts';
import { firstAdministrator, type Somebody, signedIn, somebody, WITH_ACCOUNTS } from '../../support/people.ts';
import { sendSpans } from '../../support/sending.ts';

const folder = mkdtempSync(join(tmpdir(), 'dusk-backup-'));
const file = join(folder, 'night.backup');
let dusk: Installation;
let ines: Somebody;
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  ines = await firstAdministrator(dusk);
});
afterAll(async () => {
  await dusk?.stop();
  rmSync(folder, { recursive: true, force: true });
});

const START = BigInt(Date.now() - 600_000) * 1_000_000n;
const ofStart = (services: number) => manyCalls(services, services * 2, START);

it('holds what was acknowledged before it began, made while more comes in, and can be restored', {
  timeout: 240_000,
}, async () => {
  const { token } = await ines.json<{ token: string }>('/api/intake/tokens', { name: 'all of it' });
  const send = async (services: number) => {
    const body = ofStart(services);
    await sendSpans(dusk.url, body, { headers: { authorization: `Bearer ${token}` } });
    return body.length;
  };
  const before = await send(30);
  await ines.json('/api/rules', { rules: [] }, 'PUT');
  const { id } = await ines.json<{ id: number }>('/api/casebook', { title: 'Berths wait', by: '' });
  let isDone = false;
  let sent = before;
  const more = (async () => {
    for (let services = 31; !isDone; services++) sent += await send(services);
  })();
  await backUp(dusk.cluster.url, dusk.dataDir, file);
  isDone = true;
  await more;
  expect(statSync(file).mode & 0o777).toBe(0o600);
  await expect(backUp(dusk.cluster.url, dusk.dataDir, file)).rejects.toThrow('is there already');

  const data = dataFolder();
  await restore(file, data);
  await expect(restore(file, data)).rejects.toThrow('holds data already');
  const cluster = await startCluster(data);
  let again: Application | undefined;
  try {
    const port = await freePort();
    again = await startApplication({
      host: '127.0.0.1',
      port,
      databaseUrl: cluster.url,
      logFile: join(data, 'application.log'),
      reach: WITH_ACCOUNTS,
    });
    const url = `http://127.0.0.1:${port}`;
    // Who was signed in still is, and passwords are what they were.
    const there = await signedIn(url, 'ines@osier.example');
    const { spans } = await there.json<{ spans: number }>('/api/health');
    expect(spans).toBeGreaterThanOrEqual(before);
    expect(spans).toBeLessThanOrEqual(sent);
    const { cases } = await there.json<{ cases: { id: number; title: string }[] }>('/api/casebook');
    expect(cases).toEqual([expect.objectContaining({ id, title: 'Berths wait' })]);
    const { entries } = await there.json<{ entries: { action: string }[] }>('/api/audit?text=api%2Frules');
    expect(entries).toHaveLength(1);
    // It goes on where it was.
    const sender = { authorization: `Bearer ${token}` };
    await sendSpans(url, ofStart(12), { headers: sender });
    expect((await there.json<{ spans: number }>('/api/health')).spans).toBe(spans + ofStart(12).length);
    expect((await somebody(url).ask('/api/health')).status).toBe(401);
  } finally {
    await again?.stop();
    await cluster.stop();
    rmSync(data, { recursive: true, force: true });
  }
});

it('is refused where it is none, or of a newer application, and nothing is left behind', async () => {
  const data = dataFolder();
  const other = join(folder, 'other');
  writeFileSync(other, 'not a backup');
  await expect(restore(other, data)).rejects.toThrow('is no backup of Dusk Lantern');
  const unpacked = join(folder, 'unpacked');
  mkdirSync(unpacked);
  execFileSync('tar', ['-xf', file, '-C', unpacked]);
  const about = JSON.parse(readFileSync(join(unpacked, 'about.json'), 'utf8'));
  writeFileSync(join(unpacked, 'about.json'), JSON.stringify({ ...about, schema: Date.parse('2099-01-01') }));
  execFileSync('tar', ['-cf', other, '-C', unpacked, 'about.json', 'store.dump']);
  await expect(restore(other, data)).rejects.toThrow(/newer Dusk Lantern \(schema of 2099-01-01\)/);
  execFileSync('tar', ['-cf', other, '-C', unpacked, 'about.json']);
  await expect(restore(other, data)).rejects.toThrow('is no backup');
  rmSync(data, { recursive: true });
});

it('is taken over by another PostgreSQL with all that it holds, and the old files stay', async () => {
  const store = dataFolder();
  await restore(file, store);
  await expect(upgradeStore(store)).rejects.toThrow('there is nothing to do');
  // From the one that is installed to itself: its programs do all that they do between two versions.
  const newBin = postgresBinaries();
  await expect(upgradeStore(store, { newBin: '/nowhere' })).rejects.toThrow();
  const { old, from } = await upgradeStore(store, { newBin });
  expect([existsSync(join(old, 'PG_VERSION')), Number(from) >= 13]).toEqual([true, true]);
  await expect(upgradeStore(store, { newBin })).rejects.toThrow('is there from an upgrade before');
  const cluster = await startCluster(store);
  await expect(upgradeStore(store, { newBin })).rejects.toThrow('stop Dusk Lantern first');
  const { default: pg } = await import('pg');
  const client = new pg.Client(cluster.url);
  await client.connect();
  const { rows } = await client.query(
    'SELECT (SELECT count(*)::int FROM account_user) AS people, rolsuper AS super FROM pg_roles WHERE rolname = current_user',
  );
  await client.end();
  await cluster.stop();
  expect(rows).toEqual([{ people: 1, super: false }]);
  removeCluster(store);
  rmSync(store, { recursive: true, force: true });
  rmSync(old, { recursive: true, force: true });
}, 240_000);

it('a store of a newer application is not touched, with words', async () => {
  process.env.DATABASE_URL = dusk.cluster.url;
  const { default: pg } = await import('pg');
  const client = new pg.Client(dusk.cluster.url);
  await client.connect();
  await client.query("INSERT INTO drizzle.__drizzle_migrations (hash, created_at) VALUES ('later', $1)", [
    Date.parse('2099-01-01'),
  ]);
  await expect(migrateStore('src/store/migrations')).rejects.toThrow(/made by a newer Dusk Lantern.*Nothing was changed/);
  await client.query("DELETE FROM drizzle.__drizzle_migrations WHERE hash = 'later'");
  await client.end();
  await database().execute('SELECT 1');
  await closeConnections();
});
