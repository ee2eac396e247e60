import { spawnSync } from 'node:child_process';
import { chownSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { analyzeAll } from '../../store/database/roles.ts';
import type { SystemUser } from '../life/systemUser.ts';
import { postgresBinaries } from './binaries.ts';
import { adminPassword, clusterFolder, initialise, nextFolder, startCluster, USER } from './cluster.ts';
import { serverOwner } from './owner.ts';

/** What an upgrade did. */
export interface Upgrade {
  readonly from: string;
  readonly to: string;
  /** Where the files lie as they were; to be removed by whoever is content. */
  readonly old: string;
}

interface Programs {
  /** The folders of the programs of both versions; those that made the cluster, and the newest that are installed, by default. */
  readonly oldBin?: string;
  readonly newBin?: string;
}

/**
 * Takes the cluster of a data folder over to a newer PostgreSQL, with its own pg_upgrade. Nothing of the old one is changed: the new one
 * takes its place when it is whole.
 *
 * @throws Error in words when there is nothing to do, when it runs, or when it cannot be done; nothing is changed then
 */
export async function upgradeStore(dataDir: string, programs: Programs = {}): Promise<Upgrade> {
  const owner = serverOwner();
  const files = clusterFolder(dataDir, owner);
  if (!existsSync(join(files, 'PG_VERSION'))) throw new Error(`there is no store in ${dataDir}`);
  if (existsSync(join(files, 'postmaster.pid'))) throw new Error('the store is in use: stop Dusk Lantern first');
  const from = readFileSync(join(files, 'PG_VERSION'), 'utf8').trim();
  const oldBin = programs.oldBin ?? postgresBinaries(from);
  const newBin = programs.newBin ?? postgresBinaries();
  if (programs.newBin === undefined && newBin === oldBin)
    throw new Error(`the store is of PostgreSQL ${from}, and no newer one is installed: there is nothing to do`);
  const next = nextFolder(files);
  const work = `${files}.upgrading`;
  const old = `${files}.of-${from}`;
  if (existsSync(old)) throw new Error(`${old} is there from an upgrade before: remove it first`);
  try {
    const password = adminPassword(dataDir);
    initialise(newBin, next, password, owner);
    rmSync(work, { recursive: true, force: true });
    mkdirSync(work, { mode: 0o700 });
    if (owner) chownSync(work, owner.uid, owner.gid);
    takeOver({ oldBin, newBin, files, next, work, owner, password });
  } catch (error) {
    rmSync(next, { recursive: true, force: true });
    throw error;
  } finally {
    rmSync(work, { recursive: true, force: true });
  }
  renameSync(files, old);
  renameSync(next, files);
  // Statistics don't go along, and without them plans are bad.
  const cluster = await startCluster(dataDir);
  try {
    await analyzeAll(cluster.adminUrl);
  } finally {
    await cluster.stop();
  }
  return { from, to: readFileSync(join(files, 'PG_VERSION'), 'utf8').trim(), old };
}

interface Takeover {
  readonly oldBin: string;
  readonly newBin: string;
  readonly files: string;
  readonly next: string;
  readonly work: string;
  readonly owner: SystemUser | undefined;
  readonly password: string;
}

function takeOver({ oldBin, newBin, files, next, work, owner, password }: Takeover): void {
  const args = ['-b', oldBin, '-B', newBin, '-d', files, '-D', next, '-U', USER, '-s', work];
  const done = spawnSync(join(newBin, 'pg_upgrade'), args, {
    ...owner,
    cwd: work,
    encoding: 'utf8',
    env: { ...process.env, PGPASSWORD: password },
  });
  if (done.status === 0) return;
  const said = `${done.stdout}\n${done.stderr}`.trim().split('\n').slice(-12).join('\n');
  throw new Error(`pg_upgrade could not do it, and nothing was changed:\n${done.error?.message ?? said}`);
}
