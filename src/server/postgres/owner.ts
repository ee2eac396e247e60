import { readFileSync } from 'node:fs';

/** Who the PostgreSQL server runs as. */
export interface ServerOwner {
  readonly uid: number;
  readonly gid: number;
}

/**
 * PostgreSQL refuses to run as root: then it runs as the user that Debian's package made for it; else as whoever we are, which is
 * undefined here.
 *
 * @throws Error when root and there is no such user
 */
export function serverOwner(): ServerOwner | undefined {
  if (process.getuid?.() !== 0) return undefined;
  const entry = readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .map((line) => line.split(':'))
    .find(([name]) => name === 'postgres');
  if (!entry)
    throw new Error('PostgreSQL does not run as root and there is no user "postgres"; install Debian\'s package postgresql.');
  return { uid: Number(entry[2]), gid: Number(entry[3]) };
}
