import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { setTimeout as sleep } from 'node:timers/promises';
import { closeConnections } from '../../store/database/connection.ts';
import { migrateStore } from '../../store/database/migrate.ts';
import { spanCount } from '../../store/traces/spanCount.ts';
import { build, isBuilt } from '../build.ts';
import { giveBackData, takeData } from '../dataLock.ts';
import { isFree } from '../freePort.ts';
import { type Cluster, removeCluster, startCluster } from '../postgres/cluster.ts';
import { type Application, startApplication } from '../startApplication.ts';
import { readUpOptions, type UpOptions } from './upOptions.ts';

/** Restarts in a minute after which giving up is more honest. */
const MOST_RESTARTS = 5;

const say = (text: string) => process.stderr.write(`${text}\n`);

let cluster: Cluster | undefined;
let application: Application | undefined;
let demo: ChildProcess | undefined;
let ending = false;

async function up(options: UpOptions): Promise<void> {
  const dataDir = resolve(options.data);
  mkdirSync(dataDir, { recursive: true });
  const port = await choosePort(options);
  const url = `http://${options.host.includes(':') ? `[${options.host}]` : options.host}:${port}`;
  const holder = takeData(dataDir, url);
  if (holder) {
    say(`Dusk Lantern already runs on ${dataDir}: ${holder.url} (process ${holder.pid}).`);
    process.exitCode = 1;
    return;
  }
  process.on('exit', () => giveBackData(dataDir));
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void end(0));

  if (options.fresh) await throwAway(dataDir, options.yes);
  if (!isBuilt()) await step('Building the application', build);
  const databaseUrl = process.env.DATABASE_URL || (await step('Starting PostgreSQL', () => superviseCluster(dataDir)));
  process.env.DATABASE_URL = databaseUrl;
  const spans = await step('Migrating the database', async () => {
    await migrateStore('src/store/migrations');
    return spanCount();
  });
  await closeConnections();
  await step('Starting the application', () => superviseApplication(options, port, databaseUrl, dataDir));
  if (options.host !== '127.0.0.1')
    say(`Warning: it listens on ${options.host}, without accounts: whoever reaches that address can read and send everything.`);
  if (options.demo) await fillWithDemo(options, dataDir, url.replace(/\/\/(0\.0\.0\.0|\[::\]):/, '//127.0.0.1:'), spans);
  process.stdout.write(`ready ${url}\n`);
}

async function choosePort({ port, host }: UpOptions): Promise<number> {
  if (port !== undefined) {
    if (await isFree(port, host)) return port;
    throw new Error(`port ${port} of ${host} is in use; name another with --port`);
  }
  for (let candidate = 4680; candidate < 4700; candidate++) if (await isFree(candidate, host)) return candidate;
  throw new Error('ports 4680 to 4699 are all in use; name another with --port');
}

async function step<T>(title: string, work: () => T | Promise<T>): Promise<T> {
  process.stderr.write(`${title} ... `);
  const began = performance.now();
  const result = await work();
  process.stderr.write(`${((performance.now() - began) / 1000).toFixed(1)} s\n`);
  return result;
}

async function throwAway(dataDir: string, sure: boolean): Promise<void> {
  if (process.env.DATABASE_URL) throw new Error('--fresh does not empty the database that DATABASE_URL names; do that yourself');
  if (!sure) {
    if (!process.stdin.isTTY) throw new Error(`--fresh throws away all data in ${dataDir}; say --yes too`);
    const ask = createInterface({ input: process.stdin, output: process.stderr });
    const reply = await ask.question(`Throw away all data in ${dataDir}? [y/N] `);
    ask.close();
    if (!/^y(es)?$/i.test(reply.trim())) throw new Error('nothing was thrown away');
  }
  removeCluster(dataDir);
  for (const name of ['postgres-password', 'postgres.log', 'application.log', 'demo.json', 'demo-faults.json', 'truth.json'])
    rmSync(join(dataDir, name), { force: true });
}

async function superviseCluster(dataDir: string): Promise<string> {
  const restart = restarts('PostgreSQL');
  const begin = async (): Promise<string> => {
    const started = await startCluster(dataDir);
    cluster = started;
    void started.ended.then(async () => {
      if (ending || !(await restart())) return;
      const url = await begin().catch((error: Error) => giveUp(error.message));
      // The application learns the new address by starting anew.
      if (url) {
        process.env.DATABASE_URL = url;
        await application?.stop();
      }
    });
    return started.url;
  };
  return begin();
}

async function superviseApplication(
  { host, traceSelf }: UpOptions,
  port: number,
  databaseUrl: string,
  dataDir: string,
): Promise<void> {
  const restart = restarts('The application');
  const begin = async (): Promise<void> => {
    const started = await startApplication({
      host,
      port,
      databaseUrl: process.env.DATABASE_URL ?? databaseUrl,
      logFile: join(dataDir, 'application.log'),
      traceSelf,
    });
    application = started;
    void started.ended.then(async () => {
      if (!ending && (await restart())) await begin().catch((error: Error) => giveUp(error.message));
    });
  };
  await begin();
}

/** Says whether what has ended may be started again, after a breath. */
function restarts(what: string): () => Promise<boolean> {
  const times: number[] = [];
  return async () => {
    const now = Date.now();
    times.push(now);
    if (times.filter((time) => now - time < 60_000).length > MOST_RESTARTS) {
      giveUp(`${what} ended ${MOST_RESTARTS + 1} times within a minute.`);
      return false;
    }
    say(`${what} ended; starting it again.`);
    await sleep(200);
    return !ending;
  };
}

function giveUp(why: string): undefined {
  say(`dusk: ${why}`);
  void end(1);
}

/** How far the demo data got, so that an interrupted fill goes on with the same data. */
interface DemoMark {
  readonly end: string;
  readonly done: boolean;
}

async function fillWithDemo({ live }: UpOptions, dataDir: string, address: string, spans: number): Promise<void> {
  const file = join(dataDir, 'demo.json');
  const last: DemoMark | undefined = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined;
  // A day of demo data that has grown too old and was dropped is followed by another.
  const mark = last?.done && spans === 0 ? undefined : last;
  if (!mark && spans > 0) return;
  if (mark?.done) {
    if (live) runDemo(dataDir, address, mark.end, ['--live-only']);
    return;
  }
  const until = mark?.end ?? new Date(Math.floor(Date.now() / 60_000) * 60_000).toISOString();
  writeFileSync(file, JSON.stringify({ end: until, done: false } satisfies DemoMark));
  say(
    'The database is empty. Filling it with the demo data of Osier Reach Ferries (leave it empty with --no-demo): the last two hours',
  );
  say('first, then the day before them, while you look at it.');
  const child = runDemo(dataDir, address, until, live ? ['--live'] : []);
  await new Promise<void>((resolve, reject) => {
    let told = '';
    child.stdout.on('data', (text: Buffer) => {
      told += text;
      if (told.includes('recent')) resolve();
      if (!told.includes('done')) return;
      told = '';
      writeFileSync(file, JSON.stringify({ end: until, done: true } satisfies DemoMark));
      say('The whole day of the demo is there.');
    });
    child.on('exit', () => {
      if (ending) resolve();
      else reject(new Error('the demo data could not be sent; the lines above say why. ./dusk up tries again'));
    });
  });
}

/** Starts what sends the demo's data; it ends with this process. */
function runDemo(dataDir: string, address: string, end: string, more: readonly string[]) {
  const control = join(dataDir, 'demo-faults.json');
  const truth = join(dataDir, 'truth.json');
  const args = [
    '--import',
    'tsx',
    'demo/main.ts',
    '--to',
    address,
    '--end',
    end,
    '--control',
    control,
    '--truth',
    truth,
    ...more,
  ];
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'] });
  demo = child;
  child.on('exit', (code) => {
    if (!ending && code !== 0) say('The demo has stopped. Its data stays; it continues at the next ./dusk up.');
  });
  return child;
}

async function end(code: number): Promise<void> {
  if (ending) return;
  ending = true;
  demo?.kill();
  await application?.stop();
  await cluster?.stop();
  process.exit(code);
}

try {
  await up(readUpOptions(process.argv.slice(2)));
} catch (error) {
  say(`\ndusk: ${(error as Error).message}`);
  await end(1);
}
