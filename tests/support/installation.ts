import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, statfsSync } from 'node:fs';
import { freemem, tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { freePort } from '../../src/server/freePort.ts';
import { type Cluster, PASSWORD_FILES, removeCluster, startCluster } from '../../src/server/postgres/cluster.ts';
import { type Application, ON_LOOPBACK, startApplication } from '../../src/server/startApplication.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { migrateStore } from '../../src/store/database/migrate.ts';

/** Test data begins here; it stays importable however long ago that is by now. */
const TEST_DATA_FROM = Date.parse('2026-05-01T00:00:00Z');
/** Days that records may be old in tests. */
export const OLDEST_DAYS = 400 + Math.max(0, Math.ceil((Date.now() - TEST_DATA_FROM) / 86_400_000));
process.env.DUSK_OLDEST_DAYS = String(OLDEST_DAYS);

/** Where the template of a test run lies: a cluster with the newest schema, made once, see templateCluster. */
const TEMPLATE = 'DUSK_TEST_TEMPLATE';

/** A whole Dusk Lantern for a test: a PostgreSQL of its own in a new folder and the built application before it. */
export interface Installation {
  readonly url: string;
  /** Where its data lies. */
  readonly dataDir: string;
  cluster: Cluster;
  application: Application;
  readonly startCluster: () => Promise<void>;
  /** Starts the application anew, before another database of the cluster when that is asked for. */
  readonly startApplication: (options?: { database?: string }) => Promise<void>;
  readonly stopApplication: () => Promise<void>;
  readonly log: () => string;
  readonly databaseLog: () => string;
  readonly stop: () => Promise<void>;
}

/** Where Linux keeps files in memory. There an installation is made and removed in half of the time. */
const MEMORY_FOLDER = '/dev/shm';
/** More than any test stores. */
const ROOM_BYTES = 6 * 1024 ** 3;

function roomyFolder(): string {
  if (!existsSync(MEMORY_FOLDER)) return tmpdir();
  const { bavail, bsize } = statfsSync(MEMORY_FOLDER);
  return bavail * bsize >= ROOM_BYTES && freemem() >= ROOM_BYTES ? MEMORY_FOLDER : tmpdir();
}

/** A new folder for data, which the user that PostgreSQL runs as can reach. */
export function dataFolder(parent = roomyFolder()): string {
  const folder = mkdtempSync(join(parent, 'dusk-test-'));
  chmodSync(folder, 0o755);
  return folder;
}

/**
 * @param traceSelf whether the application records what it does itself
 * @param reach how people and senders reach it: on loopback, without accounts, by default
 * @param onDisk whether the data lies where a user's would, though that takes longer
 * @param template folder of a stopped cluster that it begins with; the run's by default
 */
export async function install({
  traceSelf = false,
  onDisk = false,
  reach = ON_LOOPBACK,
  template = process.env[TEMPLATE],
} = {}): Promise<Installation> {
  const dataDir = onDisk ? dataFolder(tmpdir()) : dataFolder();
  copyTemplate(dataDir, template);
  const port = await freePort();
  const logFile = join(dataDir, 'application.log');
  // One port for all the time, so that a database that was ended can come back where the application looks for it.
  const postgresPort = await freePort();
  const cluster = await startCluster(dataDir, postgresPort);
  await migrate(cluster.url);
  const begin = (databaseUrl = cluster.url) =>
    startApplication({ host: '127.0.0.1', port, databaseUrl, logFile, traceSelf, reach });
  const it: Installation = {
    url: `http://127.0.0.1:${port}`,
    dataDir,
    cluster,
    application: await begin(),
    startCluster: async () => {
      it.cluster = await startCluster(dataDir, postgresPort);
    },
    startApplication: async ({ database } = {}) => {
      const url = database === undefined ? cluster.url : cluster.url.replace(/[^/]+$/, database);
      if (database !== undefined) await migrate(url);
      it.application = await begin(url);
    },
    stopApplication: () => it.application.stop(),
    log: () => readFileSync(logFile, 'utf8'),
    databaseLog: () => readFileSync(join(dataDir, 'postgres.log'), 'utf8'),
    stop: async () => {
      await it.application.stop();
      await it.cluster.stop();
      removeCluster(dataDir);
      rmSync(dataDir, { recursive: true, force: true });
    },
  };
  return it;
}

/** Makes a cluster with the newest schema that installations are copies of, once for all kinds of tests. @returns how to remove it */
export async function makeTemplate(): Promise<() => void> {
  if (process.env[TEMPLATE]) return () => {};
  const folder = dataFolder();
  const cluster = await startCluster(folder);
  await migrate(cluster.url);
  await cluster.stop();
  process.env[TEMPLATE] = folder;
  return () => {
    removeCluster(folder);
    rmSync(folder, { recursive: true, force: true });
  };
}

/** Copies the template, if there is one, instead of making a cluster anew. */
function copyTemplate(dataDir: string, folder: string | undefined): void {
  if (folder && existsSync(join(folder, 'postgres', 'PG_VERSION'))) copyCluster(folder, dataDir);
}

function copyCluster(from: string, to: string): void {
  const parts = ['postgres', ...PASSWORD_FILES].map((it) => join(from, it));
  const { status, stderr } = spawnSync('cp', ['-a', ...parts, to], { encoding: 'utf8' });
  if (status !== 0) throw new Error(`a stopped cluster could not be copied: ${stderr}`);
}

/**
 * An installation that holds what takes long to send. The first that asks for it sends it, and leaves a copy beside the
 * template of the test run; later ones, in other files, begin with that.
 *
 * @param name of what it holds; the same for the same data
 */
export async function installHolding(name: string, send: (url: string) => Promise<void>): Promise<Installation> {
  const template = process.env[TEMPLATE];
  const filled = template && join(template, 'filled', name);
  if (filled && existsSync(filled)) return install({ template: filled });
  const dusk = await install();
  await send(dusk.url);
  if (!filled) return dusk;
  await dusk.application.stop();
  await dusk.cluster.stop();
  // It appears whole: another file may look for it meanwhile, or leave one, too.
  const copy = dataFolder(template);
  copyCluster(dusk.dataDir, copy);
  mkdirSync(join(template, 'filled'), { recursive: true });
  if (!existsSync(filled)) renameSync(copy, filled);
  await dusk.startCluster();
  await dusk.startApplication();
  return dusk;
}

async function migrate(databaseUrl: string): Promise<void> {
  process.env.DATABASE_URL = databaseUrl;
  await migrateStore('src/store/migrations');
  await closeConnections();
}

/** Asks again until the answer is what is waited for. @throws Error with the last answer after `seconds` */
export async function until<T>(ask: () => Promise<T>, isIt: (answer: T) => boolean, seconds = 60): Promise<T> {
  const deadline = Date.now() + seconds * 1000;
  for (;;) {
    const answer = await ask().catch((error: unknown) => error as T);
    if (!(answer instanceof Error) && isIt(answer)) return answer;
    if (Date.now() > deadline)
      throw new Error(`waited ${seconds} s; last: ${answer instanceof Error ? answer.stack : JSON.stringify(answer)}`);
    await sleep(100);
  }
}
