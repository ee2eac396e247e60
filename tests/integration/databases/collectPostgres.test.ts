import { type ChildProcess, spawn } from 'node:child_process';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Cluster, removeCluster, startCluster } from '../../../src/server/postgres/cluster.ts';
import { dataFolder, type Installation, install, until } from '../../support/installation.ts';
import { getJson } from '../../support/sending.ts';

/* The collector before a real server under a load that is made on purpose: what it sees is held against what was done. */

let dusk: Installation;
let watched: Cluster;
let folder: string;
const clients: pg.Client[] = [];
const collectors: ChildProcess[] = [];
/** Of Dusk Lantern's own database. */
let store: pg.Client;
let began: number;

async function connected(name: string): Promise<pg.Client> {
  const client = new pg.Client({ connectionString: watched.adminUrl, application_name: name });
  client.on('error', () => {});
  await client.connect();
  clients.push(client);
  return client;
}

/** Starts the collector, and gives what it says. */
function collect(...more: string[]): { process: ChildProcess; said: () => string } {
  const url = new URL(watched.adminUrl);
  const password = decodeURIComponent(url.password);
  url.password = '';
  const child = spawn(
    process.execPath,
    [
      '--import',
      'tsx',
      'collectors/postgres/main.ts',
      '--dsn',
      url.href,
      '--name',
      'harbour-db',
      '--to',
      dusk.url,
      '--plans',
      ...more,
    ],
    { env: { ...process.env, PGPASSWORD: password }, stdio: ['ignore', 'pipe', 'pipe'] },
  );
  let text = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (text += data));
  collectors.push(child);
  return { process: child, said: () => text };
}

const server = (query = '') =>
  getJson(
    dusk.url,
    `/api/databases/harbour-db?from=${new Date(began).toISOString()}&to=${new Date(Date.now() + 1000).toISOString()}&before=just${query}`,
  );
const sessionsAt = async (at: number) =>
  (await getJson(dusk.url, `/api/databases/harbour-db/sessions?at=${new Date(at).toISOString()}`)).moment;

beforeAll(async () => {
  dusk = await install();
  folder = dataFolder();
  watched = await startCluster(folder);
  await watched.stop();
  appendFileSync(
    join(folder, 'postgres', 'postgresql.conf'),
    "\nshared_preload_libraries = 'pg_stat_statements'\ntrack_io_timing = on\n",
  );
  watched = await startCluster(folder);
  store = new pg.Client({ connectionString: dusk.cluster.url });
  await store.connect();
  clients.push(store);
  const setup = await connected('setup');
  await setup.query(`CREATE EXTENSION pg_stat_statements;
    CREATE TABLE booking (id int PRIMARY KEY, state text NOT NULL);
    INSERT INTO booking SELECT n, 'held' FROM generate_series(1, 2000) AS n; ANALYZE booking`);
});

afterAll(async () => {
  for (const it of collectors) it.kill('SIGKILL');
  await Promise.all(clients.map((it) => it.end().catch(() => {})));
  await watched?.stop();
  if (folder) removeCluster(folder);
  await dusk?.stop();
});

describe('a collector', () => {
  it('tells what it would see, and what it lacks', async () => {
    const { process: child, said } = collect('--check');
    await new Promise((resolve) => child.once('exit', resolve));
    expect(said()).toMatch(/harbour-db: PostgreSQL \d+/);
    expect(said()).toMatch(/counters {8}of pg_stat_statements/);
    expect(said()).toMatch(/statement ids {3}of the server/);
    expect(said()).not.toMatch(/missing/);
  });

  it('sees a queue at a lock as it is: who holds it, who waits, for what', async () => {
    began = Date.now() - 1000;
    const { said } = collect();
    await until(
      async () => said(),
      (it) => it.includes('sampling harbour-db'),
      60,
    );
    const watcher = await connected('test');
    const holder = await connected('season-rollover');
    await holder.query('BEGIN');
    await holder.query("UPDATE booking SET state = 'rolled' WHERE id = 7");
    const waiters = await Promise.all(['manifests', 'manifests', 'books'].map(connected));
    const trace = 'a'.repeat(32);
    const waits = waiters.map((client, at) =>
      client.query(`UPDATE booking SET state = 'changed' WHERE id = 7 /*traceparent='00-${trace}-${`b${at}`.repeat(8)}-01'*/`),
    );
    await sleep(6_000);
    const { at: from } = await until(
      () => sessionsAt(Date.now()),
      // The texts of statements may be stored a little later than the sessions that run them.
      (moment) =>
        (moment?.at ?? 0) >= Date.now() - 4_000 &&
        moment.blocked === 3 &&
        moment.sessions.filter((it: { statement: string }) => it.statement === 'UPDATE booking').length === 4 &&
        moment.sessions.filter((it: { traceId: string }) => it.traceId === trace).length === 3,
      60,
    );
    // From the first second that was stored with all of them on; a busy machine may sample late.
    await sleep(2_500);
    for (const at of [from, from + 1000, from + 2000]) {
      const moment = await sessionsAt(at);
      const pids = (rows: { session: string }[]) => rows.map(({ session }) => Number(session)).sort((a, b) => a - b);
      const truth = await watcher.query(
        "SELECT pid, pg_blocking_pids(pid) AS blocked_by FROM pg_stat_activity WHERE wait_event_type = 'Lock' ORDER BY pid",
      );
      // Nothing has changed since: what holds now held then.
      expect(pids(moment.sessions.filter((it: { blockedBy: string[] }) => it.blockedBy.length > 0))).toEqual(
        truth.rows.map(({ pid }) => pid),
      );
      for (const { pid, blocked_by } of truth.rows)
        expect(moment.sessions.find((it: { session: string }) => Number(it.session) === pid).blockedBy.map(Number)).toEqual(
          blocked_by,
        );
      expect(moment.trees[0]).toMatchObject({ depth: 0, behind: 3 });
      const root = moment.sessions.find((it: { session: string }) => it.session === moment.trees[0].session);
      expect(root).toMatchObject({ program: 'season-rollover', state: 'idle in transaction', statement: 'UPDATE booking' });
      expect(moment.sessions.filter((it: { traceId: string }) => it.traceId === trace)).toHaveLength(3);
    }
    const answer = await server();
    expect(answer.blocking.roots[0]).toMatchObject({ program: 'season-rollover', most: 3 });
    expect(answer.heldOpen[0]).toMatchObject({ program: 'season-rollover', statement: 'UPDATE booking' });
    // The collector leaves itself out.
    const programs = answer.cuts.find((it: { dimension: string }) => it.dimension === 'program').rows;
    expect(programs.map((it: { value: string }) => it.value)).not.toContain('dusk-lantern collector');
    await holder.query('ROLLBACK');
    await Promise.all(waits);
  });

  it('counts what is called exactly, tells statements apart by their fingerprint, and nothing twice when it is killed and started again', async () => {
    const client = await connected('kiosk');
    const call = async (times: number) => {
      for (let at = 0; at < times; at++) await client.query(`SELECT state FROM booking WHERE id = ${1 + (at % 50)}`);
    };
    const calls = async () => {
      const { rows } = await store.query(
        `WITH steps AS (SELECT calls, lag(calls) OVER (ORDER BY time_ns) AS before FROM db_statement WHERE server = 'harbour-db' AND statement_id =
          (SELECT id FROM statement_text WHERE text = 'SELECT state FROM booking WHERE id = $1'))
        SELECT coalesce(sum(CASE WHEN before IS NULL OR calls < before THEN calls ELSE calls - before END), 0)::int AS calls FROM steps`,
      );
      return rows[0].calls as number;
    };
    await call(40);
    // Counters are read by the minute.
    await until(calls, (it) => it === 40, 90);
    collectors.at(-1)!.kill('SIGKILL');
    await call(25);
    const { said } = collect();
    await until(
      async () => said(),
      (it) => it.includes('sampling harbour-db'),
      60,
    );
    // Its first reading is what it counts from: the calls while nobody counted are not known.
    await sleep(3_000);
    await call(30);
    await until(calls, (it) => it === 70, 90);
  });
});
