import { type ChildProcess, spawn } from 'node:child_process';
import { closeSync, openSync } from 'node:fs';
import { dirname } from 'node:path';

export interface ApplicationOptions {
  readonly host: string;
  readonly port: number;
  readonly databaseUrl: string;
  readonly logFile: string;
  /** Whether it records what it does itself. */
  readonly traceSelf?: boolean;
  /** How often it, and PostgreSQL, had to be started again: its health says so. */
  readonly restarts?: { readonly application: number; readonly database: number };
}

export interface Application {
  readonly pid: number;
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

/** How long an application that is told to end may take; then it is ended. */
const PATIENCE_MS = 10_000;

/** Starts the process that answers. Resolves when it listens. @throws Error when it cannot */
export async function startApplication({
  host,
  port,
  databaseUrl,
  logFile,
  traceSelf,
  restarts = { application: 0, database: 0 },
}: ApplicationOptions): Promise<Application> {
  const log = openSync(logFile, 'a');
  const child = spawn(process.execPath, [...MEMORY, 'dist/processes/application.js'], {
    env: {
      ...process.env,
      HOST: host,
      PORT: String(port),
      DATABASE_URL: databaseUrl,
      NODE_ENV: 'production',
      ...ALLOCATOR,
      DUSK_TRACE_SELF: traceSelf ? '1' : '',
      DUSK_DATA_DIR: dirname(logFile),
      DUSK_RESTARTS: JSON.stringify(restarts),
    },
    stdio: ['ignore', log, log, 'ipc'],
  });
  closeSync(log);
  const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
  await listening(child, logFile);
  return {
    pid: child.pid!,
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

function listening(child: ChildProcess, logFile: string): Promise<void> {
  return new Promise((resolve, reject) => {
    child.on('message', (message: { listening?: true; failed?: string }) => {
      if (message.listening) resolve();
      else reject(new Error(`the application could not listen: ${message.failed}`));
    });
    child.on('error', reject);
    child.on('exit', (code) => reject(new Error(`the application ended with code ${code} before it listened; see ${logFile}`)));
  });
}
