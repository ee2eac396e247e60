import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { postgresBinaries } from './binaries.ts';

/** Runs one of PostgreSQL's programs against a database. @throws Error with the end of what it said when it fails */
function run(program: string, databaseUrl: string, args: readonly string[]): Promise<void> {
  const { password, username, hostname, port, pathname } = new URL(databaseUrl);
  return new Promise((resolve, reject) => {
    const child = spawn(join(postgresBinaries(), program), args, {
      stdio: ['ignore', 'ignore', 'pipe'],
      // The password is not to stand among the arguments, which other users can read.
      env: {
        ...process.env,
        PGPASSWORD: decodeURIComponent(password),
        PGUSER: decodeURIComponent(username),
        PGHOST: hostname,
        PGPORT: port || '5432',
        PGDATABASE: pathname.slice(1),
      },
    });
    let said = '';
    child.stderr.on('data', (text: Buffer) => {
      said = `${said}${text}`.slice(-4_000);
    });
    child.on('error', reject);
    child.on('exit', (code) => (code === 0 ? resolve() : reject(new Error(`${program} ended with ${code}: ${said.trim()}`))));
  });
}

/** Writes a database into a file, as it stood at one moment, while others go on writing. */
export function dumpDatabase(databaseUrl: string, file: string): Promise<void> {
  return run('pg_dump', databaseUrl, ['--format=custom', '--compress=1', '--no-owner', '--no-privileges', `--file=${file}`]);
}

/** Fills an empty database from such a file, all of it or nothing. */
export function fillDatabase(databaseUrl: string, file: string): Promise<void> {
  const { pathname } = new URL(databaseUrl);
  return run('pg_restore', databaseUrl, [
    '--no-owner',
    '--no-privileges',
    '--single-transaction',
    '--exit-on-error',
    `--dbname=${pathname.slice(1)}`,
    file,
  ]);
}
