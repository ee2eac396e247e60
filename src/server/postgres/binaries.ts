import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';

const DEBIAN = '/usr/lib/postgresql';

/**
 * The folder of a PostgreSQL server's programs: of the major version that made a cluster, since no other can read its files; for a new one
 * the newest that is installed.
 *
 * @param made the major version that made the cluster, such as `15`
 * @throws Error when it is not installed
 */
export function postgresBinaries(made?: string, installed = DEBIAN): string {
  const versions = existsSync(installed) ? readdirSync(installed).sort((a, b) => Number(b) - Number(a)) : [];
  const wanted = made === undefined ? versions : versions.filter((it) => it === made);
  const found = wanted.map((version) => join(installed, version, 'bin')).find((bin) => existsSync(join(bin, 'postgres')));
  if (found) return found;
  const ofPath = onPath();
  if (ofPath && (made === undefined || ofPath.major === made)) return ofPath.bin;
  if (made === undefined) throw new Error('No PostgreSQL server is installed. On Debian: apt-get install postgresql');
  const others = versions.length > 0 ? `; installed is ${versions.join(', ')}` : '';
  throw new Error(
    `the data was made by PostgreSQL ${made}, and no other can read it${others}. Install postgresql-${made}; then ./dusk upgrade-store takes it over to the newest that is installed`,
  );
}

/** The server of the search path, where there is one. */
function onPath(): { bin: string; major: string } | undefined {
  try {
    const path = execFileSync('sh', ['-c', 'command -v postgres'], { encoding: 'utf8' }).trim();
    const version = execFileSync(path, ['--version'], { encoding: 'utf8' });
    return { bin: dirname(path), major: /(\d+)/.exec(version)?.[1] ?? '' };
  } catch {
    return undefined;
  }
}
