import { type ChildProcess, spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chownSync, closeSync, existsSync, mkdirSync, openSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { type ApplicationUser, applicationUser } from './life/applicationUser.ts';

export interface ApplicationOptions {
  readonly host: string;
  readonly port: number;
  readonly databaseUrl: string;
  readonly logFile: string;
  /** Whether it records what it does itself. */
  readonly traceSelf?: boolean;
  /** How people reach it, and whether they have accounts; on loopback, without, by default. */
  readonly reach?: Reach;
  /** How often it, and PostgreSQL, had to be started again: its health says so. */
  readonly restarts?: { readonly application: number; readonly database: number };
}

/** How people and senders reach the application. */
export interface Reach {
  /** Whether people and senders have to say who they are. */
  readonly accounts: boolean;
  /** The address that people are given, such as `https://lantern.osier.example`; where it listens by default. */
  readonly address?: string;
  /** Names by which it is asked for, besides addresses. */
  readonly names: readonly string[];
  /** Addresses of proxies that are believed. */
  readonly proxies: readonly string[];
  /** Ranges of addresses that are not public, at which a webhook may be called all the same. */
  readonly webhookAllow?: readonly string[];
  readonly tls?: { readonly cert: string; readonly key: string };
}

export const ON_LOOPBACK: Reach = { accounts: false, names: [], proxies: [] };

export interface Application {
  /** Where what was started with it reaches it. */
  readonly insideUrl: string;
  /** By which what was started with it comes in. */
  readonly ownToken: string;
  readonly pid: number;
  /** Why it runs as root; undefined when it does not. */
  readonly asRoot?: string;
  readonly ended: Promise<void>;
  readonly stop: () => Promise<void>;
  /** Ends it at once, whatever it does. */
  readonly kill: () => void;
}

/**
 * The heap that each thread may have, in MiB; bodies lie outside of it, within limits of their own. A heap may grow by half of what is
 * alive before it is cleared: more takes more memory, less takes more time. Each thread clears its own nursery, since the others have
 * work of their own.
 */
const MEMORY = ['--no-parallel-scavenge', '--max-old-space-size=320', '--heap-growing-percent=50'];
/** Large bodies are given back to the system as soon as they are let go, and threads share what they keep of the others. */
const ALLOCATOR = { MALLOC_ARENA_MAX: '2', MALLOC_MMAP_THRESHOLD_: String(2 ** 20) };

const PROGRAM = 'dist/processes/application.js';
/** What trials know of servers, with their passwords. */
const SERVERS = 'trial-servers.json';

/** How long an application that is told to end may take; then it is ended. */
const PATIENCE_MS = 10_000;

/** Starts the process that answers. Resolves when it listens. @throws Error when it cannot */
export async function startApplication({
  host,
  port,
  databaseUrl,
  logFile,
  traceSelf,
  reach = ON_LOOPBACK,
  restarts = { application: 0, database: 0 },
}: ApplicationOptions): Promise<Application> {
  const dataDir = dirname(logFile);
  const ownToken = randomBytes(32).toString('base64url');
  const address = reach.address ?? `${reach.tls ? 'https' : 'http'}://${host.includes(':') ? `[${host}]` : host}:${port}`;
  const runsAs = applicationUser(port, PROGRAM, dataDir);
  const log = openSync(logFile, 'a', 0o600);
  const child = spawn(process.execPath, [...MEMORY, PROGRAM], {
    ...('user' in runsAs ? runsAs.user : {}),
    env: {
      ...process.env,
      HOST: host,
      PORT: String(port),
      DATABASE_URL: databaseUrl,
      NODE_ENV: 'production',
      // Whoever starts it: libraries that believe to be tested check less.
      TEST: '',
      VITEST: '',
      ...ALLOCATOR,
      DUSK_TRACE_SELF: traceSelf ? '1' : '',
      DUSK_DATA_DIR: ownFolder(dataDir, runsAs),
      DUSK_ACCOUNTS: reach.accounts ? '1' : '',
      DUSK_OWN_TOKEN: ownToken,
      DUSK_SECRET: reach.accounts ? secretOf(dataDir) : '',
      DUSK_ADDRESS: address,
      DUSK_SECURE: address.startsWith('https:') ? '1' : '',
      DUSK_NAMES: [...reach.names, ...(reach.address ? [new URL(reach.address).hostname] : [])].join(',').toLowerCase(),
      DUSK_WEBHOOK_ALLOW: (reach.webhookAllow ?? []).join(','),
      DUSK_PROXIES: reach.proxies.join(','),
      // Read here: the key is often one that root alone can read.
      DUSK_TLS_CERT: reach.tls ? readFileSync(reach.tls.cert, 'utf8') : '',
      DUSK_TLS_KEY: reach.tls ? readFileSync(reach.tls.key, 'utf8') : '',
      DUSK_RESTARTS: JSON.stringify(restarts),
    },
    stdio: ['ignore', log, log, 'ipc'],
  });
  closeSync(log);
  const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
  const insidePort = (await listening(child, logFile)) ?? port;
  const inside = host === '0.0.0.0' || host === '::' || reach.tls ? '127.0.0.1' : host;
  return {
    pid: child.pid!,
    asRoot: 'asRoot' in runsAs ? runsAs.asRoot : undefined,
    insideUrl: `http://${inside.includes(':') ? `[${inside}]` : inside}:${insidePort}`,
    ownToken,
    ended,
    stop: async () => {
      child.kill('SIGTERM');
      const patience = setTimeout(() => child.kill('SIGKILL'), PATIENCE_MS);
      await ended;
      clearTimeout(patience);
    },
    kill: () => void child.kill('SIGKILL'),
  };
}

/** Of the data folder, what the application writes itself: the one place where whom it runs as may. */
function ownFolder(dataDir: string, runsAs: ApplicationUser): string {
  const folder = join(dataDir, 'application');
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const file = join(folder, SERVERS);
  // Where an earlier application had it.
  if (existsSync(join(dataDir, SERVERS)) && !existsSync(file)) renameSync(join(dataDir, SERVERS), file);
  if ('user' in runsAs && runsAs.user)
    for (const path of [folder, file]) if (existsSync(path)) chownSync(path, runsAs.user.uid, runsAs.user.gid);
  return folder;
}

/** What cookies are signed with: made once, and read by nobody else. */
function secretOf(dataDir: string): string {
  const file = join(dataDir, 'secret');
  if (!existsSync(file)) writeFileSync(file, randomBytes(48).toString('base64url'), { mode: 0o600, flag: 'wx' });
  return readFileSync(file, 'utf8');
}

/** @returns the port inside, where it has one of its own */
function listening(child: ChildProcess, logFile: string): Promise<number | undefined> {
  return new Promise((resolve, reject) => {
    child.on('message', (message: { listening?: true; insidePort?: number; failed?: string }) => {
      if (message.listening) resolve(message.insidePort);
      else reject(new Error(`the application could not listen: ${message.failed}`));
    });
    child.on('error', reject);
    child.on('exit', (code) => reject(new Error(`the application ended with code ${code} before it listened; see ${logFile}`)));
  });
}
