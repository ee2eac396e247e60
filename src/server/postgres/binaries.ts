import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';

const DEBIAN = '/usr/lib/postgresql';

/** The folder of the newest PostgreSQL server installed. @throws Error when there is none */
export function postgresBinaries(): string {
  const versions = existsSync(DEBIAN) ? readdirSync(DEBIAN).sort((a, b) => Number(b) - Number(a)) : [];
  const found = versions.map((version) => join(DEBIAN, version, 'bin')).find((bin) => existsSync(join(bin, 'postgres')));
  if (found) return found;
  try {
    return dirname(execFileSync('sh', ['-c', 'command -v postgres'], { encoding: 'utf8' }).trim());
  } catch {
    throw new Error('No PostgreSQL server is installed. On Debian: apt-get install postgresql');
  }
}
