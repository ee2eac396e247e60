import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { setTimeout as sleep } from 'node:timers/promises';
import { hasAdministrator } from '../../store/accounts/people.ts';
import { closeConnections } from '../../store/database/connection.ts';
import { migrateStore } from '../../store/database/migrate.ts';
import { asideLeft } from '../../store/retention/setAside.ts';
import { spanCount } from '../../store/traces/spanCount.ts';
import { build, isBuilt } from '../build.ts';
import { giveBackData, takeData } from '../dataLock.ts';
import { isFree } from '../freePort.ts';
import { keepLogsBounded } from '../life/boundLog.ts';
import { type Process, pauseAfter, Supervised } from '../life/supervise.ts';
import { watchLife } from '../life/watchLife.ts';
import { type Cluster, PASSWORD_FILES, removeCluster, startCluster } from '../postgres/cluster.ts';
import { type Application, startApplication } from '../startApplication.ts';
import { administratorLink } from './administratorLink.ts';
import { reasonOf } from './reasonOf.ts';
import { readUpOptions, type UpOptions } from './upOptions.ts';

/** In the data folder. */
const LOGS = ['postgres.log', 'application.log'];

const say = (text: string) => process.stderr.write(`${text}\n`);

let cluster: Supervised<Cluster> | undefined;
let application: Supervised<Application> | undefined;
let demo: ChildProcess | undefined;
/** What samples the application's own database. */
let collector: ChildProcess | undefined;
let ending = false;

async function up(options: UpOptions): Promise<void> {
  const dataDir = resolve(options.data);
  mkdirSync(dataDir, { recursive: true });
  const port = await choosePort(options);
  const url =
    options.reach.address ??
    `${options.reach.tls ? 'https' : 'http'}://${options.host.includes(':') ? `[${options.host}]` : options.host}:${port}`;
  const holder = takeData(dataDir, url);
  if (holder) {
    say(`Dusk Lantern already runs on ${dataDir}: ${holder.url} (process ${holder.pid}).`);
    process.exitCode = 1;
    return;
  }
  process.on('exit', () => giveBackData(dataDir));
  keepLogsBounded(LOGS.map((it) => join(dataDir, it)));
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void end(0));

  if (options.fresh) await throwAway(dataDir, options.yes);
  if (!isBuilt()) await step('Building the application', build);
  // Stand-ins of the demo's servers are databases of the private cluster: into somebody's own nothing of the kind is put.
  if (options.demo && !process.env.DATABASE_URL) process.env.DUSK_STAND_INS ??= resolve('demo/stand-ins');
  if (options.demo) process.env.DUSK_FIXES ??= resolve('demo/fixes');
  const databaseUrl = process.env.DATABASE_URL || (await step('Starting PostgreSQL', () => superviseCluster(dataDir)));
  process.env.DATABASE_URL = databaseUrl;
  let firstLink: string | undefined;
  const spans = await step('Migrating the database', async () => {
    await migrateStore('src/store/migrations');
    if (options.reach.accounts && !(await hasAdministrator())) firstLink = await administratorLink();
    return (await spanCount()) + (await asideLeft()).records;
  });
  await closeConnections();
  await step('Starting the application', () => superviseApplication(options, port, databaseUrl, dataDir));
  const inside = () => application?.current?.insideUrl ?? url;
  if (firstLink !== undefined)
    say(`Nobody is an administrator yet. Open this link to become the first, within a day: ${url}${firstLink}`);
  if (options.reach.accounts && options.host !== '127.0.0.1' && !url.startsWith('https:'))
    say(
      'Warning: passwords and data go over the network as they are. Give --tls-cert and --tls-key, or --address of a proxy that does.',
    );
  if (options.watchOwnDatabase) watchOwnDatabase(inside());
  if (options.demo) await fillWithDemo(options, dataDir, inside(), spans);
  process.stdout.write(`ready ${url}\n`);
}

/** The environment of what is started with the application: the token by which it comes in. */
const ownEnvironment = () => ({ ...process.env, DUSK_TOKEN: application?.current?.ownToken ?? '' });

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
  for (const name of [...PASSWORD_FILES, ...LOGS.flatMap((it) => [it, `${it}.1`]), 'demo.json', 'demo-faults.json', 'truth.json'])
    rmSync(join(dataDir, name), { force: true });
}

/** What ends is started again; what everything else stands on goes on meanwhile. */
function supervise<T extends Process>(
  what: string,
  start: () => Promise<T>,
  onRestart?: (it: T) => Promise<void>,
): Supervised<T> {
  return new Supervised({ what, start, say, isEnding: () => ending, onRestart });
}

async function superviseCluster(dataDir: string): Promise<string> {
  cluster = supervise(
    'PostgreSQL',
    () => startCluster(dataDir),
    async ({ url }) => {
      // The application learns the new address by starting anew.
      process.env.DATABASE_URL = url;
      // So does the collector.
      collector?.kill();
      await application?.renew((it) => it.stop());
    },
  );
  return (await cluster.begin()).url;
}

async function superviseApplication(
  { host, traceSelf, reach }: UpOptions,
  port: number,
  databaseUrl: string,
  dataDir: string,
): Promise<void> {
  application = supervise('The application', () =>
    startApplication({
      host,
      port,
      databaseUrl: process.env.DATABASE_URL ?? databaseUrl,
      logFile: join(dataDir, 'application.log'),
      traceSelf,
      reach,
      restarts: { application: application?.restarts ?? 0, database: cluster?.restarts ?? 0 },
    }),
  );
  const { asRoot } = await application.begin();
  if (asRoot !== undefined) say(`Warning: the application runs as root, since ${asRoot}.`);
  watchLife(
    () => application?.current && `${application.current.insideUrl}/api/health/live`,
    () => {
      say('The application does not answer; it is killed.');
      application?.current?.kill();
    },
  );
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
  say('first, then the two days before them, while you look at it.');
  await new Promise<void>((resolve) => {
    let told = '';
    runDemo(dataDir, address, until, live ? ['--live'] : [], (text) => {
      told += text;
      if (told.includes('recent')) resolve();
      if (!told.includes('done')) return;
      told = '';
      writeFileSync(file, JSON.stringify({ end: until, done: true } satisfies DemoMark));
      say('Both days of the demo are there.');
    });
  });
}

/** Starts what sends the demo's data, and again when it ends too early; it ends with this process. */
function runDemo(
  dataDir: string,
  address: string,
  end: string,
  more: readonly string[],
  onTold: (text: string) => void = () => {},
  failures = 0,
): void {
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
    '--quiet-hours',
    '24',
    '--control',
    control,
    '--truth',
    truth,
    ...more,
  ];
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'], env: ownEnvironment() });
  demo = child;
  child.stdout.on('data', (text: Buffer) => onTold(String(text)));
  child.on('exit', async (code) => {
    if (ending || code === 0) return;
    const pause = pauseAfter(failures + 1);
    say(`The demo has ended; it goes on where it was in ${pause / 1000} s.`);
    await sleep(pause);
    if (!ending) runDemo(dataDir, address, end, more, onTold, failures + 1);
  });
}

/** Samples the database that everything is stored in, as any other; the password is in the environment, which other users cannot read. */
function watchOwnDatabase(address: string, failures = 0): void {
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', 'collectors/postgres/main.ts', '--name', 'dusk-lantern-db', '--to', address],
    { stdio: ['ignore', 'inherit', 'inherit'], env: { ...ownEnvironment(), DUSK_COLLECT_DSN: process.env.DATABASE_URL } },
  );
  collector = child;
  child.on('exit', async () => {
    if (ending) return;
    await sleep(pauseAfter(failures + 1));
    if (!ending) watchOwnDatabase(address, failures + 1);
  });
}

async function end(code: number): Promise<void> {
  if (ending) return;
  ending = true;
  demo?.kill();
  collector?.kill();
  await application?.current?.stop();
  await cluster?.current?.stop();
  process.exit(code);
}

try {
  await up(readUpOptions(process.argv.slice(2)));
} catch (error) {
  say(`\ndusk: ${reasonOf(error as Error)}`);
  await end(1);
}
