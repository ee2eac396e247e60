import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { z } from 'zod';
import packageJson from '../../../package.json' with { type: 'json' };
import { closeConnections } from '../../store/database/connection.ts';
import { knownSchema, refuseNewerSchema, storedSchema } from '../../store/database/migrate.ts';
import { type Cluster, PASSWORD_FILES, startCluster } from '../postgres/cluster.ts';
import { dumpDatabase, fillDatabase } from '../postgres/dump.ts';

const MIGRATIONS = 'src/store/migrations';

const about = z.object({
  format: z.literal('dusk-lantern-backup-1'),
  version: z.string(),
  schema: z.number(),
  made: z.string(),
});
export type About = z.output<typeof about>;

/** What of the data folder goes along: without it nobody could come in by what the store holds. */
const SECRET = 'secret';
const DUMP = 'store.dump';
const ABOUT = 'about.json';

/**
 * Writes all that an installation keeps into one file: telemetry, rules, settings, cases, people. The application may go on meanwhile; what
 * is acknowledged after it began is not in it. The file can be read by its owner alone, since it holds everything.
 */
export async function backUp(databaseUrl: string, dataDir: string, file: string): Promise<About> {
  const target = resolve(file);
  if (existsSync(target)) throw new Error(`${file} is there already: name another`);
  const work = mkdtempSync(join(dirname(target), '.dusk-backup-'));
  try {
    process.env.DATABASE_URL = databaseUrl;
    const schema = await storedSchema();
    await closeConnections();
    if (schema === 0) throw new Error('nothing is kept there yet');
    await dumpDatabase(databaseUrl, join(work, DUMP));
    const it: About = { format: 'dusk-lantern-backup-1', version: packageJson.version, schema, made: new Date().toISOString() };
    writeFileSync(join(work, ABOUT), JSON.stringify(it));
    const secret = join(dataDir, SECRET);
    const files = [ABOUT, DUMP];
    if (existsSync(secret)) {
      writeFileSync(join(work, SECRET), readFileSync(secret), { mode: 0o600 });
      files.push(SECRET);
    }
    const packed = join(work, 'whole.tar');
    execFileSync('tar', ['-cf', packed, '-C', work, ...files]);
    chmodSync(packed, 0o600);
    // It bears its name once it is whole.
    renameSync(packed, target);
    return it;
  } finally {
    rmSync(work, { recursive: true, force: true });
  }
}

/**
 * Fills a new data folder from such a file. Nothing is left of it when it fails.
 *
 * @throws Error when the folder has data, when the file is none of ours or of a newer application
 */
export async function restore(file: string, dataDir: string): Promise<About> {
  if (!existsSync(file)) throw new Error(`there is no file ${file}`);
  if (['postgres', ...PASSWORD_FILES].some((it) => existsSync(join(dataDir, it))))
    throw new Error(`${dataDir} holds data already: name an empty folder with --data`);
  const work = mkdtempSync(join(dataDir, '.restoring-'));
  let cluster: Cluster | undefined;
  let isWhole = false;
  try {
    const names = entriesOf(file);
    if (!names.includes(ABOUT) || !names.includes(DUMP)) throw new Error(`${file} is no backup of Dusk Lantern`);
    // Only what is known is unpacked, whatever else the file holds.
    const wanted = [ABOUT, DUMP, SECRET].filter((it) => names.includes(it));
    execFileSync('tar', ['-xf', resolve(file), '-C', work, '--no-same-owner', '--', ...wanted]);
    const it = readAbout(join(work, ABOUT), file);
    refuseNewerSchema(it.schema, knownSchema(MIGRATIONS), `${file} was`);
    cluster = await startCluster(dataDir);
    await fillDatabase(cluster.url, join(work, DUMP));
    if (wanted.includes(SECRET)) writeFileSync(join(dataDir, SECRET), readFileSync(join(work, SECRET)), { mode: 0o600 });
    isWhole = true;
    return it;
  } finally {
    await cluster?.stop();
    rmSync(work, { recursive: true, force: true });
    if (!isWhole)
      for (const name of ['postgres', ...PASSWORD_FILES, 'postgres.log', SECRET])
        rmSync(join(dataDir, name), { recursive: true, force: true });
  }
}

function entriesOf(file: string): string[] {
  try {
    return execFileSync('tar', ['-tf', resolve(file)], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] }).split('\n');
  } catch {
    return [];
  }
}

function readAbout(path: string, file: string): About {
  try {
    return about.parse(JSON.parse(readFileSync(path, 'utf8')));
  } catch {
    throw new Error(`${file} is no backup of Dusk Lantern that can be read here`);
  }
}
