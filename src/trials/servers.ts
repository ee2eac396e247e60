import { chmodSync, existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { z } from 'zod';

/** A server on which statements may be tried. */
export interface TrialServer {
  readonly name: string;
  /** With its password; never sent to a page. */
  readonly dsn: string;
  /**
   * copy: nobody else uses it; indexes may be built on it, in transactions that are rolled back. live: others use it; reads only, and indexes only
   * hypothetical. none: nothing is tried on it.
   */
  readonly use: 'copy' | 'live' | 'none';
  /** The role that reads; empty for the one that connects. */
  readonly readRole: string;
  /** Whose statements are tried there; empty for none. */
  readonly environment: string;
}

const serverSchema = z.object({
  name: z.string(),
  dsn: z.string(),
  use: z.enum(['copy', 'live', 'none']),
  readRole: z.string(),
  environment: z.string().default(''),
});

const MOST = 50;

const file = () => join(resolve(process.env.DUSK_DATA_DIR ?? '.dusk'), 'trial-servers.json');

/** Those that were added. Their passwords lie in a file that only the owner of the data folder can read. */
export function addedServers(): TrialServer[] {
  if (!existsSync(file())) return [];
  const read = z.array(serverSchema).safeParse(JSON.parse(readFileSync(file(), 'utf8')));
  return read.success ? read.data : [];
}

/** The environment of a server that was added; empty for stand-ins. */
export function environmentOfServer(name: string): string {
  return addedServers().find((it) => it.name === name)?.environment ?? '';
}

/** Adds a server, or changes the one of its name. @throws Error when there are too many */
export function addServer(it: TrialServer): void {
  const others = addedServers().filter(({ name }) => name !== it.name);
  if (others.length >= MOST) throw new Error(`more than ${MOST} servers; take one out first`);
  write([...others, it]);
}

export function removeServer(name: string): void {
  write(addedServers().filter((it) => it.name !== name));
}

function write(all: readonly TrialServer[]): void {
  const next = `${file()}.next`;
  writeFileSync(next, JSON.stringify(all, null, 1), { mode: 0o600 });
  chmodSync(next, 0o600);
  renameSync(next, file());
}

/** Where a server is, without its password. */
export function addressOf({ dsn }: Pick<TrialServer, 'dsn'>): string {
  try {
    const { username, hostname, port, pathname } = new URL(dsn);
    return `${decodeURIComponent(username)}@${hostname}:${port || 5432}${pathname}`;
  } catch {
    return '';
  }
}
